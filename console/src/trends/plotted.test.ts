import { expect, test } from 'vitest'
import { plottedOf, rangesOf } from './plotted'
import { chosenOf, factsOf, type Reading, signalsOf, type Trend } from './trend'

function reading(place: number, more: Partial<Reading> = {}): Reading {
  return {
    id: `u${place}`,
    run_id: 'r',
    serial: `S-${place}`,
    at: `2026-12-0${place + 1}T10:00:00.000Z`,
    value: 10 + place,
    bound: 'exact',
    text: `${10 + place} Ω`,
    uncertainty: 0,
    minimum: 5,
    maximum: null,
    verdict: 'pass',
    cause: '',
    attempt: 1,
    repetition: 1,
    is_used: true,
    groups: { nest: `F/${1 + (place % 2)}` },
    ...more,
  }
}

const TREND: Trend = {
  step: 'insulation',
  title: 'Insulation',
  quantity: 'resistance',
  point: '',
  dimension: 'resistance',
  unit: 'Ω',
  scale: 'straight',
  readings: [
    reading(0),
    reading(1, { bound: 'above' }),
    reading(2, { is_used: false }),
    reading(3, { verdict: 'fail' }),
    reading(4, { value: null, is_used: false }),
    reading(5),
  ],
  is_cut: true,
  others: 0,
  used: 4,
  left_out: 2,
  below: 0,
  above: 1,
  minimum: 5,
  maximum: null,
  limit_text: '≥ 5 Ω',
  limits_changed: false,
  quantiles: [{ share: 0.5, low: 11, high: null, text: '> 11 Ω' }],
  histogram: { edges: [10, 12, 15], counts: [1, 2], below: 0, above: 1 },
  chart: {
    centre: 12,
    lower: 10,
    upper: 14,
    centre_text: '12 Ω',
    lower_text: '10 Ω',
    upper_text: '14 Ω',
    ranges: [null, null, 2],
    mean_range: 1,
    most_range: 3,
    base: 4,
    signals: [
      { rule: 'beyond', words: 'beyond 3 σ', first: 3, last: 3, from_at: '', to_at: '' },
      { rule: 'beyond', words: 'beyond 3 σ', first: 5, last: 5, from_at: '', to_at: '' },
    ],
  },
  capability: {
    mean: 12,
    mean_text: '12 Ω',
    sigma: 1,
    sigma_text: '1 Ω',
    is_fitted: true,
    cp: null,
    cp_least: null,
    cpk: 2.333,
    cpk_least: 1.5,
    why_not: '',
  },
  forecast: {
    rate_text: '+1 Ω a day (+0.5 Ω to +1.5 Ω)',
    line: [
      { at: '2026-12-01T10:00:00.000Z', value: 10 },
      { at: '2026-12-06T10:00:00.000Z', value: 15 },
    ],
    limit: '',
    meets_at: '',
    earliest_at: '',
    latest_at: '',
    text: '',
    why_not: 'nothing limits it',
  },
  groups: [],
}

test('bounds, failures and numbers are layers of their own, and what proves nothing is none', () => {
  const { layers, readings, axis } = plottedOf(TREND, 'time', '')
  expect(axis).toBe('time')
  expect(readings.map((each) => each?.serial)).toEqual(['S-0', 'S-1', 'S-3', 'S-5'])
  const values = Object.fromEntries(layers.map((each) => [each.look, each.values]))
  expect(values.reading).toEqual([10, null, null, 15])
  expect(values.above).toEqual([null, 11, null, null])
  expect(values.failed).toEqual([null, null, 13, null])
  expect(values.limit).toEqual([5, 5, 5, 5])
  expect(values.line).toEqual([10, 11, 13, 15])
})

test('a control chart marks what breaks a rule, at its place among what is drawn', () => {
  const { marked, across, x } = plottedOf(TREND, 'individuals', '')
  expect(x).toEqual([1, 2, 3, 4])
  expect(marked).toEqual([2, 3])
  expect(across.map(({ at }) => at)).toEqual([14, 12, 10])
  expect(rangesOf(TREND)?.readings.map((each) => each?.serial)).toEqual(['S-1', 'S-3', 'S-5'])
  expect(rangesOf({ ...TREND, chart: null })).toBeNull()
})

test('bars stand in the middle of their bins; groups side by side', () => {
  expect(plottedOf(TREND, 'histogram', '').x).toEqual([11, 13.5])
  const groups = ['F/1', 'F/2'].map((name) => ({
    name,
    count: 2,
    failed: 0,
    median: TREND.quantiles[0] as never,
    score: null,
    stands_out: '' as const,
  }))
  const { x, readings } = plottedOf({ ...TREND, groups }, 'groups', 'nest')
  expect(readings.map((each) => each?.serial)).toEqual(['S-0', 'S-1', 'S-3', 'S-5'])
  expect(x.map((at) => Math.round(at))).toEqual([0, 1, 1, 1])
  expect([...x].sort((one, other) => one - other)).toEqual(x)
})

test('of no readings nothing is drawn', () => {
  for (const chart of ['time', 'individuals', 'histogram', 'groups'] as const) {
    expect(plottedOf({ ...TREND, readings: [] }, chart, 'nest').x).toEqual([])
  }
})

test('facts say what is left out and what is a bound', () => {
  const facts = Object.fromEntries(factsOf(TREND))
  expect(facts.Readings).toBe('6, the newest of more')
  expect(facts['Left out']).toBe('2 that prove nothing')
  expect(facts['Half up to']).toBe('> 11 Ω')
  expect(facts.Cpk).toBe('2.33, at least 1.50')
  expect(facts.Cp).toBeUndefined()
  expect(factsOf({ ...TREND, readings: [] })).toEqual([])
  expect(signalsOf(TREND)).toMatchObject([{ times: 2, latest: { serial: 'S-5' } }])
})

test('the reading that came nearest to its limit and passed is looked at first', () => {
  const found = [0.5, -2, 0.1, null].map((least_margin, at) => ({
    step: `s${at}`,
    title: '',
    kind: 'withstand',
    quantity: 'current',
    point: '',
    dimension: 'current',
    units: 3,
    least_margin,
  }))
  expect(chosenOf(new URLSearchParams(), found)?.step).toBe('s2')
  expect(chosenOf(new URLSearchParams('step=s1&quantity=current'), found)?.step).toBe('s1')
  expect(chosenOf(new URLSearchParams('step=gone&quantity=x'), found)?.step).toBe('s2')
  expect(chosenOf(new URLSearchParams(), [])).toBeUndefined()
})
