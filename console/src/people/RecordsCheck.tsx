import { Box, Button, Flex, Heading, Stack, Text } from '@chakra-ui/react'
import { useMutation } from '@tanstack/react-query'
import { api, ask } from '../api/client'
import { Trouble } from '../parts/Trouble'

/** Whether anything in the records or the ledger was changed from outside; checked when asked. */
export function RecordsCheck() {
  const check = useMutation({
    mutationFn: async () => {
      const records = await ask(api.GET('/api/v1/records/check'))
      const ledger = await ask(api.GET('/api/v1/ledger'))
      return { records, ledger, faults: [...records.faults, ...ledger.faults] }
    },
  })
  const found = check.data
  return (
    <Stack gap="3" as="section" aria-label="Records">
      <Heading as="h2" size="lg">
        Records
      </Heading>
      <Flex gap="4" align="center" wrap="wrap">
        <Button
          variant="outline"
          borderColor="edge"
          color="ink"
          loading={check.isPending}
          onClick={() => check.mutate()}
        >
          Check the records
        </Button>
        {found?.faults.length === 0 && (
          <Text role="status" color="good" fontWeight="bold">
            Everything is as it was stored: {found.records.marks} marks, {found.ledger.entries}{' '}
            documents, {found.records.heads} signed heads kept outside.
          </Text>
        )}
        {found === undefined && !check.isPending && (
          <Text color="soft">
            Finds every record, document and audit entry that was changed from outside.
          </Text>
        )}
      </Flex>
      {found?.records.notes?.map((each) => (
        <Text key={each}>{each}</Text>
      ))}
      {check.isError && <Trouble text={check.error.message} />}
      {found && found.faults.length > 0 && (
        <Box role="alert" bg="bad.wash" borderLeftWidth="5px" borderColor="bad" p="4">
          <Text fontWeight="bold">Not as it was stored</Text>
          {found.faults.map((each) => (
            <Text key={each}>{each}</Text>
          ))}
        </Box>
      )}
    </Stack>
  )
}
