import { Box, Flex, Heading, Input, Stack, Text } from '@chakra-ui/react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { type FormEvent, type KeyboardEvent, lazy, Suspense, useRef, useState } from 'react'
import { useNavigate, useSearchParams } from 'react-router'
import { api, ask, askAll, type Schemas } from '../api/client'
import { AssetPlate } from '../assets/AssetPlate'
import { useAsset } from '../assets/useAsset'
import { BusyNote } from '../bench/BusyNote'
import type { Value } from '../forms/schema'
import { Choice } from '../parts/Choice'
import { KeyButton } from '../parts/KeyButton'
import { Trouble } from '../parts/Trouble'
import { Waiting } from '../parts/Waiting'
import { words } from '../parts/words'
import { useMay } from '../session/SessionProvider'
import { AmbientNote } from './AmbientNote'
import { LineForm } from './LineForm'
import { NestGrid } from './NestGrid'

const DescribeForm = lazy(() => import('../assets/DescribeForm'))
const OrdersList = lazy(() => import('./OrdersList'))
const SeriesForm = lazy(() => import('./SeriesForm'))

type Pair = [string, string]
type Occasion = Schemas['NewRun']['occasion']

/** What of a product's document is looked at here. */
interface Held {
  code: string
  terminals: string[]
  occasions?: { occasion: string; sequence: string }[]
}

/** Choose a sequence and fixture, give each nest its serial by keyboard or scanner, make the run. */
export function LoadForm() {
  const navigate = useNavigate()
  const queries = useQueryClient()
  const may = useMay()
  const [query, setQuery] = useSearchParams()
  const [serials, setSerials] = useState<Record<string, string>>({})
  const [scans, setScans] = useState<Record<string, string>>({})
  const [occasion, setOccasion] = useState<Occasion>('')
  const [retest, setRetest] = useState('')
  const [line, setLine] = useState<Value>({})
  const [trouble, setTrouble] = useState('')
  const [busy, setBusy] = useState(false)
  const form = useRef<HTMLFormElement>(null)
  const tried = useRef({ load: '', key: '' })
  const sequences = useQuery({
    queryKey: ['sequences'],
    queryFn: () => askAll(api.GET('/api/v1/sequences')),
  })
  const lots = useQuery({
    queryKey: ['lots', 'open'],
    queryFn: () => askAll(api.GET('/api/v1/lots', { params: { query: { state: 'open' } } })),
  })
  const bench = useQuery({ queryKey: ['bench'], queryFn: () => ask(api.GET('/api/v1/bench')) })
  const products = useQuery({
    queryKey: ['products'],
    queryFn: () => askAll(api.GET('/api/v1/products')),
  })

  if (sequences.isError) return <Trouble text={sequences.error.message} />
  if (bench.isError) return <Trouble text={bench.error.message} />
  if (products.isError) return <Trouble text={products.error.message} />
  if (sequences.data === undefined || bench.data === undefined || products.data === undefined) {
    return <Waiting />
  }
  if (sequences.data.length === 0) {
    return (
      <Text>
        No sequence yet. An engineer adds one with <code>loricate sequence add FILE</code>.
      </Text>
    )
  }

  const fixtureCode = chosen(query, 'fixture', bench.data.fixtures)
  const fixture = bench.data.fixtures.find((each) => each.code === fixtureCode)
  const held = productsFor(fixture, products.data)
  const fitting = sequencesFor(held, sequences.data)
  const code = chosen(query, 'sequence', sequences.data, fitting[0]?.code)
  const sequence = sequences.data.find((each) => each.code === code)
  const openLots = (lots.data ?? []).filter((each) => each.product === sequence?.product)
  const lot = query.get('lot') ?? ''
  const canFeel = (fixture?.felt.length ?? 0) > 0
  const startBy = starting(bench.data.has_inputs, canFeel)
  const occasions = held.flatMap((each) => each.occasions ?? [])
  const unmet = (fixture?.requirements ?? []).filter((each) => !each.met)
  const nests = Object.keys(fixture?.nests ?? {})
  const load = nests
    .map((nest) => ({ nest, serial: (serials[nest] ?? '').trim() }))
    .filter((place) => place.serial !== '')

  function choose(name: 'sequence' | 'fixture' | 'lot' | 'start', value: string) {
    localStorage.setItem(`loricate-${name}`, value)
    setQuery(
      (kept) => {
        kept.set(name, value)
        return kept
      },
      { replace: true },
    )
  }

  /**
   * A scanner ends with Enter. A sequence's code chooses that sequence and stays here; a serial
   * goes on to the next empty nest, then to the button; Enter in an empty nest checks the load.
   */
  function scanned(event: KeyboardEvent<HTMLInputElement>) {
    if (event.key !== 'Enter' || form.current === null) return
    event.preventDefault()
    const nest = event.currentTarget.dataset.nest ?? ''
    const scannedCode = event.currentTarget.value.trim()
    setScans({ ...scans, [nest]: scannedCode })
    // What an open order for this fixture is called shows at once what it stands for.
    const orders = queries.getQueryData<Schemas['OrderOut'][]>(['orders', 'open']) ?? []
    const order = orders.find((each) => each.number === scannedCode)
    if (order && held.some((each) => each.code === order.product)) {
      loadOrder(order, nest)
      return
    }
    if (sequences.data?.some((each) => each.code === scannedCode)) {
      choose('sequence', scannedCode)
      setSerials({ ...serials, [nest]: '' })
      return
    }
    if (scannedCode === '' && load.length > 0) {
      // The load is not to be fuller than it is: on to the check.
      form.current.requestSubmit()
      return
    }
    const inputs = [...form.current.querySelectorAll<HTMLInputElement>('input[data-nest]')]
    const here = inputs.indexOf(event.currentTarget)
    const next = [...inputs.slice(here + 1), ...inputs.slice(0, here)].find((each) => !each.value)
    const target = next ?? form.current.querySelector<HTMLButtonElement>('button[type=submit]')
    target?.focus()
  }

  /** An order chooses its occasion, and with it the sequence; its unit goes into a free nest. */
  function loadOrder(order: Schemas['OrderOut'], place?: string) {
    const free = place ?? nests.find((nest) => !serials[nest]?.trim()) ?? nests[0]
    if (free === undefined) return
    if (order.sequence) choose('sequence', order.sequence)
    setOccasion(order.occasion as Occasion)
    setSerials({ ...serials, [free]: order.asset || order.serial })
  }

  /** The same load tried again is the same request: its answer may have been lost on the way. */
  function keyFor(load: string): string {
    if (tried.current.load !== load) tried.current = { load, key: freshKey() }
    return tried.current.key
  }

  async function submit(event: FormEvent) {
    event.preventDefault()
    setBusy(true)
    setTrouble('')
    try {
      const body = {
        sequence: code,
        fixture: fixtureCode,
        load,
        lot,
        retest,
        start_by: startBy === 'series' ? ('key' as const) : startBy,
        line,
        occasion,
      }
      const header = { 'idempotency-key': keyFor(JSON.stringify(body)) }
      const run = await ask(api.POST('/api/v1/runs', { body, params: { header } }))
      navigate(`/run/${run.id}`)
    } catch (error) {
      setTrouble((error as Error).message)
      setBusy(false)
    }
  }

  return (
    <Stack gap="5">
      <Heading as="h1" size="2xl">
        Load the fixture
      </Heading>
      <BusyNote bench={bench.data} />
      <AmbientNote maySay={may.run} />
      <Flex gap="5" wrap="wrap">
        <Choice
          size="lg"
          label="Sequence"
          value={code}
          options={sequences.data.map((each) => [each.code, `${each.code}  ${each.title}`])}
          onChange={(value) => {
            choose('sequence', value)
            setOccasion('')
          }}
        />
        {occasions.length > 0 && (
          <Choice
            size="lg"
            label="Occasion"
            value={occasion}
            options={[
              ['', 'as the sequence has it'],
              ...occasions.map((each): Pair => [each.occasion, words(each.occasion)]),
            ]}
            onChange={(value) => {
              setOccasion(value as Occasion)
              const own = occasions.find((each) => each.occasion === value)
              if (own) choose('sequence', own.sequence)
            }}
          />
        )}
        <Choice
          size="lg"
          label="Fixture"
          value={fixtureCode}
          options={bench.data.fixtures.map((each) => [each.code, `${each.code}  ${each.title}`])}
          onChange={(value) => choose('fixture', value)}
        />
        {openLots.length > 0 && (
          <Choice
            size="lg"
            label="Lot"
            value={lot}
            options={[
              ['', 'no lot'],
              ...openLots.map((each): [string, string] => [
                each.code,
                `${each.code}  ${each.tested} of ${each.expected} tested`,
              ]),
            ]}
            onChange={(value) => choose('lot', value)}
          />
        )}
        {bench.data.has_inputs && (
          <Choice
            size="lg"
            label="Start by"
            value={startBy}
            options={[
              ['key', 'key or button'],
              ['foot', 'foot switch'],
              ['presence', 'a unit in every nest'],
              ...(canFeel ? [['series', 'each unit plugged in: a series'] as Pair] : []),
            ]}
            onChange={(value) => choose('start', value)}
          />
        )}
      </Flex>
      {unmet.length > 0 && (
        <Trouble
          text={`No unit will be certified. ${unmet.map((each) => each.reason).join(' ')} An operator does this on the Bench page.`}
        />
      )}
      <StepTitles code={code} />
      {startBy !== 'series' && (
        <Suspense fallback={null}>
          <OrdersList
            products={held.map((each) => each.code)}
            onTest={(order) => loadOrder(order)}
          />
        </Suspense>
      )}
      {startBy === 'series' && fixture !== undefined ? (
        <Suspense fallback={<Waiting />}>
          <SeriesForm key={fixtureCode} sequence={code} fixture={fixture} lot={lot} />
        </Suspense>
      ) : (
        <form ref={form} onSubmit={submit}>
          <Stack gap="5">
            <NestGrid fixture={fixtureCode}>
              {nests.map((nest, index) => (
                <Box key={nest} bg="plate" borderWidth="1px" borderColor="edge" p="4">
                  <label htmlFor={`nest-${nest}`}>
                    <Text as="span" fontWeight="bold" fontSize="xl">
                      Nest {nest}
                    </Text>
                  </label>
                  <Input
                    id={`nest-${nest}`}
                    data-nest={nest}
                    mt="2"
                    size="lg"
                    borderColor="edge"
                    autoFocus={index === 0}
                    autoComplete="off"
                    spellCheck={false}
                    placeholder="scan or type the serial"
                    _placeholder={{ color: 'soft' }}
                    value={serials[nest] ?? ''}
                    onKeyDown={scanned}
                    onChange={(event) => setSerials({ ...serials, [nest]: event.target.value })}
                  />
                  <Text color="soft" fontSize="sm" mt="1">
                    {(serials[nest] ?? '') === '' ? 'empty: this nest stays off' : 'will be tested'}
                  </Text>
                  {occasions.length > 0 && scans[nest] && scans[nest] === serials[nest]?.trim() && (
                    <Scanned text={scans[nest]} products={held.map((each) => each.code)} />
                  )}
                </Box>
              ))}
            </NestGrid>
            <LineForm
              value={line}
              onChange={setLine}
              otherwise="as the sequence has them"
              without={['repeat_every']}
            />
            {trouble && <Trouble text={trouble} />}
            {(trouble.includes('retest') || retest !== '') && (
              <Stack gap="1" maxW="40rem">
                <label htmlFor="retest">Why are they tested again?</label>
                <Input
                  id="retest"
                  size="lg"
                  bg="plate"
                  borderColor="edge"
                  value={retest}
                  onChange={(event) => setRetest(event.target.value)}
                />
              </Stack>
            )}
            <Flex align="center" gap="4">
              <KeyButton
                keyName="Enter"
                type="submit"
                bg="act"
                color="act.ink"
                loading={busy}
                disabled={load.length === 0}
              >
                Check this load
              </KeyButton>
              <Text color="soft">
                {load.length === 0
                  ? 'Give at least one nest a serial.'
                  : `${load.length} of ${nests.length} nests. Nothing is energised yet.`}
              </Text>
            </Flex>
          </Stack>
        </form>
      )}
    </Stack>
  )
}

/** What is known of the device that was scanned; one that nobody has described can be now. */
function Scanned({ text, products }: { text: string; products: string[] }) {
  const queries = useQueryClient()
  const asset = useAsset(text, true)
  if (asset.isError) return <Trouble text={asset.error.message} />
  if (asset.data === undefined) return null
  if (asset.data !== null && asset.data.number !== '') return <AssetPlate asset={asset.data} />
  return (
    <details>
      <summary>Not known by this number: describe it</summary>
      <Suspense fallback={<Waiting />}>
        <DescribeForm
          number={text}
          products={products}
          onDescribed={(made) => queries.setQueryData(['asset', text], made)}
        />
      </Suspense>
    </details>
  )
}

/** The code in the address, else the one chosen last on this computer, else the first there is. */
function chosen(
  query: URLSearchParams,
  name: 'sequence' | 'fixture',
  known: { code: string }[],
  proposed?: string,
): string {
  const wanted = [query.get(name), localStorage.getItem(`loricate-${name}`), proposed ?? null]
  const codes = known.map((each) => each.code)
  return wanted.find((code) => code !== null && codes.includes(code)) ?? codes[0] ?? ''
}

/** The products that have all their terminals in a fixture. */
function productsFor(
  fixture: Schemas['FixtureOut'] | undefined,
  products: Record<string, unknown>[],
): Held[] {
  const reached = Object.values(fixture?.nests ?? {}).flatMap((nest) => Object.keys(nest))
  return (products as unknown as Held[]).filter(({ terminals }) => {
    const named = Array.isArray(terminals) ? terminals : []
    return named.length > 0 && named.every((name) => reached.includes(name))
  })
}

/** The sequences of these products. */
function sequencesFor(
  held: Held[],
  sequences: Schemas['SequenceSummary'][],
): Schemas['SequenceSummary'][] {
  const codes = held.map((each) => each.code)
  return sequences.filter((each) => codes.includes(each.product))
}

/** What starts a run at this bench, as chosen last on this computer. */
function starting(hasInputs: boolean, canFeel: boolean): 'key' | 'foot' | 'presence' | 'series' {
  const kept = localStorage.getItem('loricate-start')
  if (kept === 'series') return canFeel ? kept : 'key'
  return hasInputs && (kept === 'foot' || kept === 'presence') ? kept : 'key'
}

/** A key that nobody else makes; also on plain http, where crypto.randomUUID is not to be had. */
function freshKey(): string {
  const bytes = crypto.getRandomValues(new Uint8Array(16))
  return [...bytes].map((each) => each.toString(16).padStart(2, '0')).join('')
}

/** What the chosen sequence does, in its order. */
function StepTitles({ code }: { code: string }) {
  const sequence = useQuery({
    queryKey: ['sequences', code],
    queryFn: () => ask(api.GET('/api/v1/sequences/{code}', { params: { path: { code } } })),
  })
  return (
    <Text color="soft" minH="1lh">
      {sequence.data?.steps.map((step) => step.title).join(' → ')}
    </Text>
  )
}
