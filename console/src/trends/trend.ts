import type { Schemas } from '../api/client'
import type { paths } from '../api/schema'
import { measurand, words } from '../parts/words'
import { askedOf } from '../units/search'

export type Trend = Schemas['TrendOut']
export type Reading = Schemas['TrendReading']
export type Measurand = Schemas['MeasurandOut']
export type TrendAsked = paths['/api/v1/trends']['get']['parameters']['query']
export type ChartName = 'time' | 'individuals' | 'histogram' | 'groups'

export const CHARTS: [ChartName, string][] = [
  ['time', 'Over time'],
  ['individuals', 'Control chart'],
  ['histogram', 'Histogram'],
  ['groups', 'By group'],
]
export const GROUPS: [string, string][] = [
  ['', 'nothing'],
  ['nest', 'nest'],
  ['fixture', 'fixture'],
  ['instrument', 'instrument'],
  ['lot', 'lot'],
  ['product', 'product'],
  ['sequence', 'sequence'],
  ['bench', 'bench'],
  ['operator', 'operator'],
]

/** A measurand in one word of an address: step, quantity and point. */
export function keyOf({
  step,
  quantity,
  point,
}: {
  step: string
  quantity: string
  point: string
}) {
  return [step, quantity, point].join('|')
}

/** What a measurand is called where it is picked: the step first. */
export function nameOf(each: Measurand): string {
  return `${each.title || each.step}: ${measurand(each)}`
}

/** The measurand of an address, or the one that came nearest to its limit. */
export function chosenOf(query: URLSearchParams, found: Measurand[]): Measurand | undefined {
  const step = query.get('step')
  if (step) {
    const wanted = keyOf({
      step,
      quantity: query.get('quantity') ?? '',
      point: query.get('point') ?? '',
    })
    const known = found.find((each) => keyOf(each) === wanted)
    if (known !== undefined) return known
  }
  const limited = found.filter((each) => each.least_margin !== null)
  // What failed outright has no margin to be watched.
  const passing = limited.filter((each) => (each.least_margin ?? 0) >= 0)
  return (
    [...(passing.length > 0 ? passing : limited)].sort(
      (one, other) => (one.least_margin ?? 0) - (other.least_margin ?? 0),
    )[0] ?? found[0]
  )
}

/** What the service is asked for a trend, from the address and the measurand. */
export function trendAskedOf(query: URLSearchParams, of: Measurand): TrendAsked {
  const asked: Record<string, unknown> = { ...askedOf(query) }
  asked.step = of.step
  asked.quantity = of.quantity
  if (of.point) asked.point = of.point
  for (const name of ['which', 'scale', 'by']) {
    const value = query.get(name)
    if (value) asked[name] = value
  }
  const base = Number(query.get('base') ?? '')
  if (base >= 8) asked.base = base
  return asked as TrendAsked
}

/** What stands beside a chart, a line a fact. */
export function factsOf(trend: Trend): [string, string][] {
  const facts: [string, string][] = []
  const first = trend.readings[0]
  const last = trend.readings.at(-1)
  if (first === undefined || last === undefined) return facts
  const older = trend.is_cut ? ', the newest of more' : ''
  facts.push(['Readings', `${trend.readings.length}${older}`])
  if (trend.left_out > 0) facts.push(['Left out', `${trend.left_out} that prove nothing`])
  if (trend.others > 0) facts.push(['Not shown', `${trend.others} of another dimension`])
  if (trend.below > 0) facts.push(['Under the floor', `${trend.below}, in no mean`])
  if (trend.above > 0) facts.push(['Over the range', `${trend.above}, in no mean`])
  if (trend.limit_text) {
    facts.push(['Limit', trend.limit_text + (trend.limits_changed ? ', others before' : '')])
  }
  const shares: Record<number, string> = { 0.05: '5 %', 0.5: 'Half', 0.95: '95 %' }
  for (const each of trend.quantiles) facts.push([`${shares[each.share]} up to`, each.text])
  const { capability: able, chart, forecast } = trend
  if (able.mean_text) facts.push(['Mean', able.mean_text])
  if (able.sigma_text) facts.push(['σ', able.sigma_text + (able.is_fitted ? ', fitted' : '')])
  facts.push(...indexOf('Cp', able.cp, able.cp_least), ...indexOf('Cpk', able.cpk, able.cpk_least))
  if (able.why_not) facts.push(['Capability', `none: ${able.why_not}`])
  if (chart) facts.push(['Chart limits', `${chart.lower_text} to ${chart.upper_text}`])
  if (forecast.rate_text) facts.push(['Slope', forecast.rate_text])
  return facts
}

function indexOf(name: string, index: number | null, least: number | null): [string, string][] {
  if (index === null || least === null) return []
  return [[name, `${index.toFixed(2)}, at least ${least.toFixed(2)}`]]
}

/** The rules that a chart breaks, a line a rule, the one broken last first. */
export function signalsOf(trend: Trend): { words: string; times: number; latest: Reading }[] {
  const found = new Map<string, { words: string; times: number; last: number }>()
  for (const each of trend.chart?.signals ?? []) {
    const kept = found.get(each.rule)
    found.set(each.rule, {
      words: each.words,
      times: (kept?.times ?? 0) + 1,
      last: Math.max(kept?.last ?? 0, each.last),
    })
  }
  return [...found.values()]
    .sort((one, other) => other.last - one.last)
    .flatMap(({ last, ...told }) => {
      const latest = trend.readings[last]
      return latest === undefined ? [] : [{ ...told, latest }]
    })
}

export const groupName = (name: string) => (name ? words(name) : 'none')
