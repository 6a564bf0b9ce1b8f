import { Box, Button, Flex, Heading, Stack, Text } from '@chakra-ui/react'
import { Trouble } from '../parts/Trouble'
import type { Review } from './useReview'

const TONE: Record<string, string> = { error: 'bad', warning: 'unsure', note: 'soft' }

function capital(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1)
}

/** What the review says of what is written now; a finding leads to its step. */
export function ReviewPanel({
  review,
  onSelect,
}: {
  review: Review
  onSelect: (id: string) => void
}) {
  const { data, trouble, isStale } = review
  return (
    <Stack gap="3" as="section" aria-label="Review" aria-busy={isStale}>
      <Heading as="h2" size="lg">
        Review
      </Heading>
      {data !== undefined && (
        <Text color="soft" fontSize="sm">
          A load of {data.nests} takes {data.load_s.toFixed(1)} s as programmed.
          {isStale && ' Looking again …'}
        </Text>
      )}
      {trouble && <Trouble text={trouble} />}
      {data !== undefined && data.findings.length === 0 && (
        <Text color="good" fontWeight="bold">
          Nothing found.
        </Text>
      )}
      {data?.findings.map((each) => (
        <Box
          key={`${each.rule} ${each.step} ${each.reason}`}
          bg="plate"
          borderLeftWidth="5px"
          borderColor={TONE[each.severity]}
          px="3"
          py="2"
          fontSize="sm"
        >
          <Flex justify="space-between" align="center">
            <Text fontWeight="bold" color={TONE[each.severity]}>
              {each.severity}
            </Text>
            {each.step !== '' && (
              <Button
                size="2xs"
                variant="outline"
                borderColor="edge"
                color="ink"
                onClick={() => onSelect(each.step)}
              >
                {each.step}
              </Button>
            )}
          </Flex>
          {capital(each.reason)} <b>{each.remedy}</b>
        </Box>
      ))}
    </Stack>
  )
}
