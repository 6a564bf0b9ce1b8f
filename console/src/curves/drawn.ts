import type { Schemas } from '../api/client'
import { fades } from '../parts/dying'
import { quantityText } from '../parts/quantity'
import { words } from '../parts/words'

export type Curve = Schemas['CurveOut']

/** One curve with the attempt that it is of. */
export interface Drawn {
  serial: string
  number: number
  curve: Curve
}

export interface Values {
  values: (number | null)[]
  unit: string
  minimum: number | null
  maximum: number | null
}

/** Resistance of volts over amperes, sample by sample, where both are sampled. */
export const RATIO = 'U/I'
/** Volts and current in one picture, each with its own scale. */
export const BOTH = 'voltage and current'

/** Every curve of some attempts, in their order. */
export function drawnOf(attempts: Schemas['CurvesOut'][]): Drawn[] {
  return attempts.flatMap(({ serial, number, curves }) =>
    curves.map((curve) => ({ serial, number, curve })),
  )
}

/** What tells a curve from the others that are drawn. */
export function nameOf({ serial, number, curve }: Drawn): string {
  const parts = [serial]
  if (number > 1) parts.push(`attempt ${number}`)
  if (curve.point) parts.push(curve.point)
  if (curve.repetition > 1) parts.push(`repetition ${curve.repetition}`)
  if (curve.name === 'waveform') parts.push(`peak ${quantityText(peakOf(curve), 'V')}`)
  else if (curve.name !== 'course') parts.push(words(curve.name))
  return parts.join(', ')
}

/** The greatest volts of a waveform, whichever their sign. */
export function peakOf(curve: Curve): number {
  const { values } = valuesOf(curve, 'voltage')
  return values.reduce<number>((most, each) => Math.max(most, Math.abs(each ?? 0)), 0)
}

/** What can be drawn: each quantity that some curve has, and resistance where it follows. */
export function quantitiesOf(drawn: Drawn[]): string[] {
  const names = new Set(drawn.flatMap(({ curve }) => curve.columns.map((each) => each.name)))
  const list = [...names]
  return names.has('voltage') && names.has('current') ? [...list, RATIO, BOTH] : list
}

/** The points that there are curves of, in their order. */
export function pointsOf(drawn: Drawn[]): string[] {
  return [...new Set(drawn.map(({ curve }) => curve.point))]
}

/** The quantity that tells most of some curves: up a ladder volts and current together. */
export function usualOf(drawn: Drawn[]): string {
  const names = quantitiesOf(drawn)
  const isLadder = drawn.some(({ curve }) => curve.drawn === 'points')
  const wanted = isLadder ? BOTH : 'current'
  return names.includes(wanted) ? wanted : (names[0] ?? '')
}

/** Curves by what they are over, those over one axis together. */
export function byAxis(drawn: Drawn[]): [string, Drawn[]][] {
  const found = new Map<string, Drawn[]>()
  for (const each of drawn) {
    const own = found.get(each.curve.x.name) ?? []
    found.set(each.curve.x.name, [...own, each])
  }
  return [...found]
}

/** A quantity of a curve by name. */
export function valuesOf(curve: Curve, quantity: string): Values {
  const column = (name: string) => curve.columns.find((each) => each.name === name)
  if (quantity !== RATIO) {
    const found = column(quantity)
    return {
      values: found?.values ?? curve.x.values.map(() => null),
      unit: found?.unit ?? '',
      minimum: found?.minimum ?? null,
      maximum: found?.maximum ?? null,
    }
  }
  const volts = column('voltage')?.values ?? []
  const amperes = column('current')?.values ?? []
  const values = volts.map((volt, index) => {
    const ampere = amperes[index]
    return volt && ampere ? Math.abs(volt / ampere) : null
  })
  return { values, unit: 'Ω', minimum: null, maximum: null }
}

/** A straight line through points by least squares, at each of their places; null through one. */
export function lineThrough(x: (number | null)[], y: (number | null)[]): number[] | null {
  const pairs = x.flatMap((at, place): [number, number][] => {
    const value = y[place]
    return at !== null && typeof value === 'number' ? [[at, value]] : []
  })
  const mean = (values: number[]) => values.reduce((sum, each) => sum + each, 0) / values.length
  const [meanX, meanY] = [mean(pairs.map(([at]) => at)), mean(pairs.map(([, value]) => value))]
  const along = pairs.reduce((sum, [at]) => sum + (at - meanX) ** 2, 0)
  if (pairs.length < 2 || along === 0) return null
  const across = pairs.reduce((sum, [at, value]) => sum + (at - meanX) * (value - meanY), 0)
  return x.map((at) => meanY + (across / along) * ((at ?? meanX) - meanX))
}

/** Whether a quantity dies away in one of the curves, and is drawn in a scale for decades. */
export function diesAway(drawn: Drawn[], quantity: string): boolean {
  if (quantity !== 'current' && quantity !== RATIO && quantity !== 'resistance') return false
  return drawn.some(({ curve }) =>
    fades(valuesOf(curve, quantity).values.flatMap((each) => (each ? [Math.abs(each)] : []))),
  )
}
