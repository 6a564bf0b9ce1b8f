import { Box, Stack, Text } from '@chakra-ui/react'
import { momentText } from '../parts/moment'
import { factsOf, signalsOf, type Trend } from './trend'

/** What a trend says in figures: where it lies, where it goes, what speaks against chance. */
export function Facts({ trend, zone }: { trend: Trend; zone: string }) {
  const { forecast } = trend
  const signals = signalsOf(trend)
  return (
    <Stack w={{ base: '100%', lg: '21rem' }} gap="3" flexShrink="0">
      <Box as="dl" display="grid" gridTemplateColumns="auto 1fr" columnGap="4" rowGap="1">
        {factsOf(trend).map(([name, text]) => (
          <Box key={name} display="contents">
            <Text as="dt" color="soft">
              {name}
            </Text>
            <Text as="dd" fontVariantNumeric="tabular-nums">
              {text}
            </Text>
          </Box>
        ))}
      </Box>
      {forecast.text ? (
        <Text color="bad" fontWeight="bold">
          {forecast.text}
        </Text>
      ) : (
        trend.readings.length > 0 && <Text color="soft">No forecast: {forecast.why_not}.</Text>
      )}
      {signals.length > 0 && (
        <Box>
          <Text color="soft">Signals of the chart</Text>
          <Box as="ul" ps="5">
            {signals.map(({ words, times, latest }) => (
              <li key={words}>
                {words}
                {times > 1 ? `, ${times} times` : ''}; last {latest.serial}{' '}
                {momentText(latest.at, zone)}
              </li>
            ))}
          </Box>
        </Box>
      )}
    </Stack>
  )
}
