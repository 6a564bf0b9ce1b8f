import { Box, Grid, Heading, HStack, Stack, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useParams } from 'react-router'
import { api, ask, Refused } from '../api/client'
import { Mark } from '../parts/Mark'
import { Trouble } from '../parts/Trouble'
import { VerdictMark } from '../parts/VerdictMark'
import { Waiting } from '../parts/Waiting'

/** For someone who holds only the paper: is there such a document, and what does it say? */
export default function VerifyPage() {
  const { number = '' } = useParams()
  const found = useQuery({
    queryKey: ['verify', number],
    queryFn: () => ask(api.GET('/api/v1/verify/{number}', { params: { path: { number } } })),
    retry: false,
  })
  return (
    <Box as="main" p="6" maxW="44rem" mx="auto">
      <Stack gap="5">
        <HStack gap="3">
          <Mark size={32} />
          <Heading as="h1" size="2xl">
            {number}
          </Heading>
        </HStack>
        {found.isPending && <Waiting />}
        {found.isError && (
          <Trouble
            text={
              found.error instanceof Refused && found.error.status === 404
                ? `No document ${number} was issued here. The paper in your hand is not ours.`
                : found.error.message
            }
          />
        )}
        {found.data && (
          <Box bg="plate" borderWidth="1px" borderColor="edge" p="6">
            <Text fontSize="xl" fontWeight="bold" mb="4">
              {found.data.genuine
                ? `Issued here; seal, record, paper and ledger agree.`
                : `Issued here, but its record is damaged: ${found.data.faults.join(' ')}`}
            </Text>
            {found.data.superseded_by && (
              <Box mb="4">
                <Trouble
                  text={`It counts no longer: ${found.data.superseded_by} was issued for this unit after it.`}
                />
              </Box>
            )}
            <Grid templateColumns="auto 1fr" columnGap="6" rowGap="2">
              <Text color="soft">Site</Text>
              <Text>{found.data.site}</Text>
              <Text color="soft">Unit</Text>
              <Text>{found.data.product}</Text>
              <Text color="soft">Serial</Text>
              <Text fontWeight="bold">{found.data.serial}</Text>
              <Text color="soft">Verdict</Text>
              <Box>
                <VerdictMark verdict={found.data.verdict} />
              </Box>
              <Text color="soft">Issued</Text>
              <Text>{found.data.issued_at.slice(0, 19).replace('T', ' ')} UTC</Text>
              <Text color="soft">Digest</Text>
              <Text fontFamily="mono" fontSize="sm" wordBreak="break-all">
                {found.data.document_digest}
              </Text>
            </Grid>
            <Stack gap="1" mt="5" color="soft">
              <Text fontWeight="bold">What this page does not tell</Text>
              {found.data.unchecked.map((each) => (
                <Text key={each}>{each}</Text>
              ))}
            </Stack>
          </Box>
        )}
      </Stack>
    </Box>
  )
}
