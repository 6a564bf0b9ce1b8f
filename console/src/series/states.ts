import type { Schemas } from '../api/client'

/** The states of a series as words. */
export const STATES: Record<Schemas['SeriesOut']['state'], string> = {
  paused: 'paused',
  on: 'on',
  held: 'held for an engineer',
  ended: 'ended',
}

/** Seconds as minutes and seconds: 4:05. */
export function clock(seconds: number): string {
  const whole = Math.max(0, Math.ceil(seconds))
  return `${Math.floor(whole / 60)}:${String(whole % 60).padStart(2, '0')}`
}

/** How many units are tested in an hour at a time for each, or a dash while that is not known. */
export function perHour(cadenceS: number | null): string {
  return cadenceS === null || cadenceS <= 0 ? '–' : `${Math.round(3600 / cadenceS)} an hour`
}
