import { Box, Flex, Heading, Stack, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { lazy, Suspense } from 'react'
import { Link, useParams } from 'react-router'
import { api, ask } from '../api/client'
import { AssetPlate } from '../assets/AssetPlate'
import { useAsset } from '../assets/useAsset'
import { ofBench, PaperLink } from '../certificates/PaperLink'
import { LINK } from '../parts/link'
import { ReadingsTable } from '../parts/ReadingsTable'
import { Trouble } from '../parts/Trouble'
import { useMoment } from '../parts/useMoment'
import { VerdictMark } from '../parts/VerdictMark'
import { Waiting } from '../parts/Waiting'
import { words } from '../parts/words'
import { KeptList } from './KeptList'
import { LetGo } from './LetGo'
import { ReportLink } from './ReportLink'
import { UnitTold } from './UnitTold'

const WiringSection = lazy(() => import('../wiring/WiringSection'))

/** One unit's whole history: every run, every attempt, every reading, its documents. */
export default function UnitPage() {
  const moment = useMoment()
  const { serial = '' } = useParams()
  const found = useQuery({
    queryKey: ['unit', serial],
    queryFn: () => ask(api.GET('/api/v1/units/{serial}', { params: { path: { serial } } })),
  })
  const asset = useAsset(serial, true)
  if (found.isError) return <Trouble text={found.error.message} />
  if (found.data === undefined) return <Waiting />
  const benches = new Set(found.data.map((each) => each.from_bench ?? ''))
  return (
    <Stack gap="5">
      <Flex gap="5">
        <Link to="/units" style={LINK}>
          All units
        </Link>
        <Link to={`/units/${serial}/dates`} style={LINK}>
          Compare its dates
        </Link>
      </Flex>
      <Heading as="h1" size="2xl">
        {found.data[0]?.serial}
        <Text as="span" color="soft" fontSize="lg" ml="4">
          {found.data[0]?.product}
        </Text>
      </Heading>
      {asset.data?.number && <AssetPlate asset={asset.data} />}
      {benches.size > 1 && (
        <Text role="status" borderLeftWidth="5px" borderColor="unsure" bg="unsure.wash" p="3">
          Units with this serial were tested at more than one bench:{' '}
          {[...benches].map((each) => each || 'this one').join(', ')}. Each is kept by itself;
          whether it is the same unit, the serial alone does not tell.
        </Text>
      )}
      {found.data.map((unit) => (
        <Box key={unit.run_id} bg="plate" borderWidth="1px" borderColor="edge" p="4">
          <Flex gap="6" align="center" wrap="wrap" mb="3">
            <VerdictMark verdict={unit.verdict} cause={unit.cause} size="large" />
            <Text>
              {unit.started_at ? `${moment(unit.started_at)}, ` : ''}
              {unit.from_bench && <b>{unit.from_bench}, </b>}
              {unit.sequence_code} revision {unit.sequence_revision}, nest {unit.nest}
              {unit.occasion && unit.occasion !== 'production' && `, ${words(unit.occasion)}`}
            </Text>
            <Link to={`/run/${unit.run_id}`} style={LINK}>
              The run
            </Link>
            {unit.certificate && (
              <>
                <PaperLink
                  number={unit.certificate}
                  of={unit.from_bench}
                  paper={unit.paper}
                  words={`${unit.certificate} (PDF)`}
                />
                <a
                  href={`/api/v1/certificates/${unit.certificate}${ofBench(unit.from_bench)}`}
                  download={`${unit.certificate}.json`}
                  style={LINK}
                >
                  signed data
                </a>
                {unit.revoked && (
                  <Text fontWeight="bold" color="bad">
                    Revoked ({unit.revoked})
                  </Text>
                )}
              </>
            )}
            <ReportLink unit={unit} />
          </Flex>
          <Suspense fallback={null}>
            <WiringSection product={unit.product} attempts={unit.attempts} />
          </Suspense>
          <LetGo unit={unit} />
          <ReadingsTable attempts={unit.attempts} label={`Readings of run ${unit.run_id}`} />
          <KeptList unit={unit} />
          <UnitTold unit={unit} />
        </Box>
      ))}
    </Stack>
  )
}
