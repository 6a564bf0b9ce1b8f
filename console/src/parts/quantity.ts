import type { Schemas } from '../api/client'

const PREFIXES = ['p', 'n', 'µ', 'm', '', 'k', 'M', 'G', 'T'] as const

type Temperature = Schemas['SiteOut']['temperature']

let temperatures: Temperature = '°C'

/** Have temperatures written in the unit that the site chose. */
export function showTemperaturesIn(unit: Temperature): void {
  temperatures = unit
}

/** Write an SI value for people: engineering notation, four significant digits. */
export function quantityText(value: number, unit: string): string {
  if (unit === '°C' && Number.isFinite(value)) {
    const shown = temperatures === '°F' ? (value * 9) / 5 + 32 : value
    return `${shown.toFixed(1)} ${temperatures}`
  }
  if (!Number.isFinite(value)) return `not a number ${unit}`
  if (value === 0) return `0 ${unit}`
  const rounded = Number(value.toPrecision(4))
  const power = Math.floor(Math.log10(Math.abs(rounded)) / 3)
  const place = Math.min(PREFIXES.length - 1, Math.max(0, power + 4))
  const mantissa = rounded / 10 ** ((place - 4) * 3)
  const whole = Math.max(1, Math.floor(Math.log10(Math.abs(mantissa))) + 1)
  return `${mantissa.toFixed(Math.max(0, 4 - whole))} ${PREFIXES[place]}${unit}`
}

/** A time in s for people who wait: `41 s`, `3 min 20 s`. */
export function timeText(seconds: number): string {
  const whole = Math.max(0, Math.ceil(seconds))
  if (whole < 100) return `${whole} s`
  const rest = whole % 60
  return `${Math.floor(whole / 60)} min${rest ? ` ${rest} s` : ''}`
}
