import type { ChartName, Reading, Trend } from './trend'

/** How a layer of a plot looks; what failed has a shape of its own, not a colour alone. */
export type Look = 'reading' | 'failed' | 'above' | 'below' | 'limit' | 'line' | 'bars'

export interface Layer {
  label: string
  look: Look
  values: (number | null)[]
}

export interface Plotted {
  x: number[]
  layers: Layer[]
  /** Which reading stands at each place of x; none where a place is of no single one. */
  readings: (Reading | undefined)[]
  /** Lines across the whole plot. */
  across: { at: number; label: string; isLimit: boolean }[]
  axis: 'time' | 'number' | 'value' | 'group'
  groups: string[]
  isLog: boolean
  /** Readings that break a rule, by their places. */
  marked: number[]
}

const BOUNDS = ['above', 'below'] as const

/** A chart of a trend as layers over one axis. */
export function plottedOf(trend: Trend, chart: ChartName, by: string): Plotted {
  const own = trend.readings.flatMap((each, place) =>
    each.is_used && each.value !== null ? [{ reading: each, place, value: each.value }] : [],
  )
  const isLog = trend.scale === 'decades'
  const empty: Plotted = {
    x: [],
    layers: [],
    readings: [],
    across: [],
    axis: 'number',
    groups: [],
    isLog,
    marked: [],
  }
  if (own.length === 0) return empty
  if (chart === 'histogram') return histogramOf(trend, empty)
  if (chart === 'groups') return groupsOf(trend, by, empty)
  const readings = own.map(({ reading }) => reading)
  const layers = pointsOf(readings)
  if (chart === 'individuals') {
    const lines = trend.chart
    const places = new Map(own.map(({ place }, at) => [place, at]))
    const marked = new Set<number>()
    for (const each of lines?.signals ?? []) {
      for (let place = each.first; place <= each.last; place++) {
        const at = places.get(place)
        if (at !== undefined) marked.add(at)
      }
    }
    return {
      ...empty,
      x: own.map((_, at) => at + 1),
      readings,
      layers,
      across: lines
        ? [
            { at: lines.upper, label: 'upper', isLimit: false },
            { at: lines.centre, label: 'centre', isLimit: false },
            { at: lines.lower, label: 'lower', isLimit: false },
          ]
        : [],
      marked: [...marked],
    }
  }
  for (const side of ['minimum', 'maximum'] as const) {
    if (readings.some((each) => each[side] !== null)) {
      layers.push({ label: side, look: 'limit', values: readings.map((each) => each[side]) })
    }
  }
  const x = readings.map((each) => Date.parse(each.at) / 1000)
  const [begin, end] = trend.forecast.line
  if (begin && end)
    layers.push({ label: 'line', look: 'line', values: along(x, begin, end, isLog) })
  return { ...empty, axis: 'time', x, readings, layers }
}

type End = Trend['forecast']['line'][number]

/** The line of a drift at each moment: straight in the scale that it was reckoned in. */
function along(x: number[], begin: End, end: End, isLog: boolean): (number | null)[] {
  const [from, to] = [Date.parse(begin.at) / 1000, Date.parse(end.at) / 1000]
  if (to === from) return x.map(() => null)
  const [low, high] = isLog
    ? [Math.log10(begin.value), Math.log10(end.value)]
    : [begin.value, end.value]
  return x.map((at) => {
    const value = low + ((high - low) * (at - from)) / (to - from)
    return isLog ? 10 ** value : value
  })
}

/** Readings by how they are shown: numbers, what failed, and bounds as arrows. */
function pointsOf(readings: (Reading | undefined)[]): Layer[] {
  const only = (is: (each: Reading) => boolean) =>
    readings.map((each) => (each !== undefined && is(each) ? each.value : null))
  const layers: Layer[] = [
    {
      label: 'reading',
      look: 'reading',
      values: only((each) => each.bound === 'exact' && each.verdict !== 'fail'),
    },
    {
      label: 'failed',
      look: 'failed',
      values: only((each) => each.bound === 'exact' && each.verdict === 'fail'),
    },
    ...BOUNDS.map(
      (bound): Layer => ({
        label: bound === 'above' ? 'over' : 'under',
        look: bound,
        values: only((each) => each.bound === bound),
      }),
    ),
  ]
  return layers.filter(({ values }) => values.some((each) => each !== null))
}

function histogramOf(trend: Trend, empty: Plotted): Plotted {
  const { edges, counts } = trend.histogram
  const middles = counts.map((_, at) => {
    const [low, high] = [edges[at] ?? 0, edges[at + 1] ?? 0]
    return empty.isLog ? Math.sqrt(low * high) : (low + high) / 2
  })
  return {
    ...empty,
    axis: 'value',
    x: middles,
    readings: middles.map(() => undefined),
    layers: [{ label: 'readings', look: 'bars', values: counts }],
    across: (['minimum', 'maximum'] as const).flatMap((side) => {
      const at = trend[side]
      return at === null || (empty.isLog && at <= 0) ? [] : [{ at, label: side, isLimit: true }]
    }),
  }
}

function groupsOf(trend: Trend, by: string, empty: Plotted): Plotted {
  const names = trend.groups.map(({ name }) => name)
  const x: number[] = []
  const readings: Reading[] = []
  names.forEach((name, column) => {
    const own = trend.readings.filter((each) => each.is_used && each.groups[by] === name)
    own.forEach((each, at) => {
      x.push(column - 0.3 + (0.6 * (at + 0.5)) / own.length)
      readings.push(each)
    })
  })
  return { ...empty, axis: 'group', groups: names, x, readings, layers: pointsOf(readings) }
}

/** The moving ranges below a control chart, each at its second reading. */
export function rangesOf(trend: Trend): Plotted | null {
  if (trend.chart === null) return null
  const { ranges, mean_range: mean, most_range: most } = trend.chart
  const used = trend.readings.filter((each) => each.is_used)
  return {
    x: ranges.map((_, at) => at + 2),
    layers: [{ label: 'range', look: 'line', values: ranges }],
    readings: ranges.map((_, at) => used[at + 1]),
    across: [
      { at: mean, label: 'mean', isLimit: false },
      { at: most, label: 'upper', isLimit: false },
    ],
    axis: 'number',
    groups: [],
    isLog: false,
    marked: [],
  }
}
