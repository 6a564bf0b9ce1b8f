import { Box, Button, Flex, Heading, Input, Stack, Text } from '@chakra-ui/react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { type FormEvent, useCallback, useEffect, useRef, useState } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import { api, ask, type Schemas } from '../api/client'
import { DataTable } from '../parts/DataTable'
import { KeyButton } from '../parts/KeyButton'
import { LabelledInput } from '../parts/LabelledInput'
import { LINK } from '../parts/link'
import { Trouble } from '../parts/Trouble'
import { useKey } from '../parts/useKey'
import { VerdictMark } from '../parts/VerdictMark'
import { Waiting } from '../parts/Waiting'
import { LiveRun } from '../run/LiveRun'
import { useIsGone } from '../run/useIsGone'
import { useMay } from '../session/SessionProvider'
import { clock, perHour, STATES } from './states'

type Series = Schemas['SeriesOut']

const LOOK_MS = 300

/** A series: what to do now, the unit under test, how units came out so far. */
export default function SeriesPage() {
  const { id = '' } = useParams()
  const found = useQuery({
    queryKey: ['series', id],
    queryFn: () =>
      ask(api.GET('/api/v1/series/{series_id}', { params: { path: { series_id: id } } })),
    refetchInterval: ({ state }) => (state.data?.state === 'ended' ? false : LOOK_MS),
  })
  if (found.isError) return <Trouble text={found.error.message} />
  if (found.data === undefined) return <Waiting />
  return <SeriesBoard series={found.data} />
}

function SeriesBoard({ series }: { series: Series }) {
  const may = useMay()
  const [isAsking, setAsking] = useState(false)
  const isOn = series.state === 'on'
  // Until the next one begins, the unit that was tested last stands there with its verdict.
  const last = series.state === 'ended' ? undefined : series.units[0]
  const isGone = useIsGone(last?.ended_at ?? null, series.line.verdict_stays_s)
  const shown = series.run || (isGone && last?.verdict === 'pass' ? '' : (last?.run ?? ''))
  return (
    <Stack gap="4">
      <Flex justify="space-between" align="flex-start" gap="4" wrap="wrap">
        <Box>
          <Heading as="h1" size="2xl">
            Series of {series.sequence_code}
          </Heading>
          <Text color="soft">
            Revision {series.sequence_revision}, {series.fixture}, nest {series.nests.join(' and ')}
            {series.lot && `, lot ${series.lot}`}, {STATES[series.state]}
            {series.armed_left_s !== null &&
              series.run === '' &&
              `; armed for ${clock(series.armed_left_s)} more, unless a unit is plugged in`}
          </Text>
        </Box>
        {may.run && <Acts series={series} />}
      </Flex>
      <Text
        role="status"
        aria-live="assertive"
        fontSize="4xl"
        lineHeight="1.15"
        fontWeight="bold"
        bg={isOn ? 'plate' : 'unsure.wash'}
        borderLeftWidth="8px"
        borderColor={isOn ? 'act' : 'unsure'}
        px="4"
        py="3"
      >
        {series.now}
        {isOn && series.next_in_s > 0 && (
          <Text as="span" aria-live="off" color="soft" ml="4" whiteSpace="nowrap">
            next in {Math.ceil(series.next_in_s)} s
          </Text>
        )}
      </Text>
      {!isOn && series.note && <Text fontSize="lg">{series.note}</Text>}
      {series.notices.length > 0 && (
        <Trouble text={`No unit of this series is certified. ${series.notices.join(' ')}`} />
      )}
      {series.state === 'held' && may.define && <Release series={series} />}
      {may.run &&
        series.count_from === '' &&
        (series.state === 'on' || series.state === 'paused') && (
          <Scanned series={series} isAsking={isAsking} />
        )}
      {shown !== '' && <LiveRun key={shown} runId={shown} onAsking={setAsking} />}
      <Figures series={series} />
      <Units series={series} />
    </Stack>
  )
}

function useAct(series: Series) {
  const queries = useQueryClient()
  const [trouble, setTrouble] = useState('')
  const key = series.id
  const act = useCallback(
    async (work: () => Promise<Series>) => {
      setTrouble('')
      try {
        // An answer still under way tells of the state before this.
        await queries.cancelQueries({ queryKey: ['series', key] })
        queries.setQueryData(['series', key], await work())
        return true
      } catch (error) {
        setTrouble((error as Error).message)
        void queries.invalidateQueries({ queryKey: ['series', key] })
        return false
      }
    },
    [key, queries],
  )
  return { act, trouble }
}

function Acts({ series }: { series: Series }) {
  const go = useNavigate()
  const { act, trouble } = useAct(series)
  const { id } = series
  const arm = useCallback(
    () =>
      void act(() =>
        ask(api.POST('/api/v1/series/{series_id}/arm', { params: { path: { series_id: id } } })),
      ),
    [act, id],
  )
  const stop = useCallback(
    () =>
      void act(() =>
        ask(api.POST('/api/v1/series/{series_id}/stop', { params: { path: { series_id: id } } })),
      ),
    [act, id],
  )
  const next = useCallback(() => void go('/run'), [go])
  const canArm = series.state === 'paused'
  const canStop = canArm || series.state === 'on'
  const isOver = series.state === 'ended'
  useKey('F8', canArm, arm)
  useKey('Escape', canStop, stop)
  useKey('F2', isOver, next)
  return (
    <Stack align="flex-end">
      <Flex gap="3">
        {canArm && (
          <KeyButton keyName="F8" bg="unsure" color="plate" onClick={arm}>
            {series.needs_arming ? 'Arm high voltage' : 'Go on'}
          </KeyButton>
        )}
        {canStop && (
          <KeyButton keyName="Esc" bg="bad" color="plate" onClick={stop}>
            Stop the series
          </KeyButton>
        )}
        {isOver && (
          <KeyButton keyName="F2" bg="act" color="act.ink" onClick={next}>
            Next load
          </KeyButton>
        )}
      </Flex>
      {trouble && <Trouble text={trouble} />}
    </Stack>
  )
}

interface ScannedProps {
  series: Series
  /** Whether the keys 1, 2, 3 answer something now. */
  isAsking: boolean
}

/** The serials to come, scanned one after another. */
function Scanned({ series, isAsking }: ScannedProps) {
  const { act, trouble } = useAct(series)
  const [serial, setSerial] = useState('')
  const box = useRef<HTMLInputElement>(null)
  const isIdle = serial === ''
  useEffect(() => {
    // Whoever has begun to type a serial ends it first.
    if (isAsking && isIdle) box.current?.blur()
    else if (!isAsking) box.current?.focus()
  }, [isAsking, isIdle])
  const place = { series_id: series.id }

  async function scan(event: FormEvent) {
    event.preventDefault()
    const scanned = serial.trim()
    if (scanned === '') return
    const body = { serial: scanned }
    const isTaken = await act(() =>
      ask(api.POST('/api/v1/series/{series_id}/serials', { params: { path: place }, body })),
    )
    if (isTaken) setSerial('')
  }

  return (
    <Box as="section" aria-label="Serials to come">
      <form onSubmit={(event) => void scan(event)}>
        <Flex gap="3" align="center" wrap="wrap">
          <Input
            aria-label="Serial of the next unit"
            ref={box}
            size="lg"
            w="20rem"
            bg="plate"
            borderColor="edge"
            autoComplete="off"
            spellCheck={false}
            placeholder="scan or type the next serial"
            _placeholder={{ color: 'soft' }}
            value={serial}
            onChange={(event) => setSerial(event.target.value)}
          />
          <Text color="soft">
            {series.serials.length === 0 ? 'None waits.' : 'To come, in this order:'}
          </Text>
          {series.serials.map((each) => (
            <Button
              key={each}
              size="sm"
              variant="outline"
              color="ink"
              borderColor="edge"
              title="Take it back"
              onClick={() =>
                void act(() =>
                  ask(
                    api.DELETE('/api/v1/series/{series_id}/serials/{serial}', {
                      params: { path: { ...place, serial: each } },
                    }),
                  ),
                )
              }
            >
              {each} <span aria-hidden="true">×</span>
            </Button>
          ))}
        </Flex>
      </form>
      {trouble && <Trouble text={trouble} />}
    </Box>
  )
}

/** Only an engineer lets a held series go on, with what it was. */
function Release({ series }: { series: Series }) {
  const { act, trouble } = useAct(series)
  const [reason, setReason] = useState('')

  async function release(event: FormEvent) {
    event.preventDefault()
    const params = { path: { series_id: series.id } }
    const body = { reason: reason.trim() }
    await act(() => ask(api.POST('/api/v1/series/{series_id}/release', { params, body })))
  }

  return (
    <form onSubmit={(event) => void release(event)} aria-label="Let it go on">
      <Flex gap="3" align="flex-end" wrap="wrap">
        <LabelledInput
          label="What was it?"
          hint="contact 7 of the fixture was bent; renewed"
          value={reason}
          onChange={setReason}
          width="26rem"
          isFirst
        />
        <KeyButton
          keyName="Enter"
          type="submit"
          size="md"
          bg="act"
          color="act.ink"
          disabled={reason.trim() === ''}
        >
          Let it go on
        </KeyButton>
      </Flex>
      {trouble && <Trouble text={trouble} />}
    </form>
  )
}

function Figures({ series }: { series: Series }) {
  const firstPass = series.first_pass_yield
  const row = series.failed_in_a_row
  const most = series.line.stop_after_fails
  const figures: [string, string][] = [
    ['Tested', String(series.tested)],
    ['Passed', String(series.passed)],
    ['Failed', String(series.failed)],
    ['First-pass yield', firstPass === null ? '–' : `${(firstPass * 100).toFixed(1)} %`],
    ['Fails in a row', most === 0 ? String(row) : `${row}, held at ${most}`],
    ['A unit every', series.cadence_s === null ? '–' : `${series.cadence_s.toFixed(1)} s`],
    ['Pace', perHour(series.cadence_s)],
  ]
  return (
    <Flex as="dl" gap="6" wrap="wrap" aria-label="How it goes">
      {figures.map(([name, value]) => (
        <Box key={name}>
          <Text as="dt" color="soft">
            {name}
          </Text>
          <Text as="dd" fontSize="2xl" fontWeight="bold" whiteSpace="nowrap">
            {value}
          </Text>
        </Box>
      ))}
    </Flex>
  )
}

function Units({ series }: { series: Series }) {
  if (series.units.length === 0) return null
  return (
    <DataTable
      label="Units, the last one first"
      rows={series.units}
      keyOf={(each) => `${each.run} ${each.nest}`}
      columns={[
        {
          head: 'Serial',
          isWhole: true,
          cell: (each) => (
            <Link to={`/units/${encodeURIComponent(each.serial)}`} style={LINK}>
              {each.serial}
            </Link>
          ),
        },
        { head: 'Nest', cell: (each) => each.nest },
        {
          head: 'Verdict',
          cell: (each) =>
            each.state === 'finished' ? (
              <VerdictMark verdict={each.verdict} cause={each.cause} />
            ) : (
              each.state
            ),
        },
        { head: 'Document', isWhole: true, cell: (each) => each.certificate ?? '' },
        {
          head: 'Ended',
          isWhole: true,
          cell: (each) => each.ended_at?.slice(11, 19) ?? '',
        },
      ]}
    />
  )
}
