import type { Schemas } from '../api/client'

const PREFIXES = ['p', 'n', 'µ', 'm', '', 'k', 'M', 'G', 'T'] as const

/** Units that take no prefix, and what their figure is times the one in SI. */
const PLAIN: Record<string, number> = { '': 1, '%': 100, 'mm²': 1e6, '/min': 60, ':1': 1 }

type Temperature = Schemas['SiteOut']['temperature']

let temperatures: Temperature = '°C'

/** Have temperatures written in the unit that the site chose. */
export function showTemperaturesIn(unit: Temperature): void {
  temperatures = unit
}

/** Write an SI value for people: engineering notation, four significant digits by default. */
export function quantityText(value: number, unit: string, digits = 4): string {
  if (unit === '°C' && Number.isFinite(value)) {
    const shown = temperatures === '°F' ? (value * 9) / 5 + 32 : value
    return `${shown.toFixed(1)} ${temperatures}`
  }
  if (!Number.isFinite(value)) return `not a number ${unit}`
  const gap = unit === '' || unit.startsWith(':') ? '' : ' '
  const times = PLAIN[unit]
  if (value === 0) return `0${gap}${unit}`
  if (times !== undefined) return `${figure(value * times, digits)}${gap}${unit}`
  const rounded = Number(value.toPrecision(digits))
  const power = Math.floor(Math.log10(Math.abs(rounded)) / 3)
  const place = Math.min(PREFIXES.length - 1, Math.max(0, power + 4))
  return `${figure(rounded / 10 ** ((place - 4) * 3), digits)} ${PREFIXES[place]}${unit}`
}

/** A figure with so many digits, and never with an exponent. */
function figure(value: number, digits: number): string {
  const rounded = Number(value.toPrecision(digits))
  const whole = Math.floor(Math.log10(Math.abs(rounded))) + 1
  return rounded.toFixed(Math.min(20, Math.max(0, digits - whole)))
}

/** A time in s for people who wait: `41 s`, `3 min 20 s`. */
export function timeText(seconds: number): string {
  const whole = Math.max(0, Math.ceil(seconds))
  if (whole < 100) return `${whole} s`
  const rest = whole % 60
  return `${Math.floor(whole / 60)} min${rest ? ` ${rest} s` : ''}`
}
