import { Text } from '@chakra-ui/react'
import { Link } from 'react-router'
import type { Schemas } from '../api/client'
import { DataTable } from '../parts/DataTable'
import { LINK } from '../parts/link'

type Instrument = Schemas['InstrumentOut']

/** Days before the end of a calibration from which it is pointed out. */
const SOON_DAYS = 30

/** Who answers, on what address, and how long its calibration lasts. */
export function InstrumentTable({ instruments }: { instruments: Instrument[] }) {
  return (
    <DataTable
      label="Instruments"
      rows={instruments}
      keyOf={(each) => each.id}
      columns={[
        {
          head: 'Instrument',
          cell: (each) => (
            <>
              <b>{each.id}</b> {each.title}
            </>
          ),
        },
        {
          head: 'Answers',
          cell: (each) => (
            <>
              <Text color={each.problem || each.doubt ? 'bad' : 'good'} fontWeight="bold">
                {each.problem ? 'NO ANSWER' : each.doubt ? 'NOT BELIEVED' : 'answers'}
              </Text>
              {each.doubt && (
                <Text fontSize="sm">
                  It {each.doubt}. No unit is certified with it until its next daily check.
                </Text>
              )}
              {each.unseen.length > 0 && (
                <Text fontSize="sm">
                  Taken on trust, since it cannot say: {each.unseen.join(', ')}.
                </Text>
              )}
            </>
          ),
        },
        { head: 'Address', cell: (each) => <Text fontSize="sm">{each.address}</Text> },
        {
          head: 'Serial',
          cell: (each) => (
            <Link
              to={`/units?instrument=${encodeURIComponent(each.serial)}`}
              style={LINK}
              title="What it measured"
            >
              {each.serial}
            </Link>
          ),
        },
        { head: 'Calibration due', cell: (each) => each.due ?? '' },
        { head: 'Left', cell: (each) => <DaysLeft days={each.days_left} /> },
      ]}
    />
  )
}

function DaysLeft({ days }: { days: number | null }) {
  if (days === null) return null
  if (days < 0) {
    return <Text color="bad">over since {-days} days: have it calibrated</Text>
  }
  return <Text color={days < SOON_DAYS ? 'unsure' : 'ink'}>{days} days</Text>
}
