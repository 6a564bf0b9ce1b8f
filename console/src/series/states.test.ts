import { expect, it } from 'vitest'
import { clock, perHour } from './states'

it('tells what is left of an arming in minutes and seconds, never less than is left', () => {
  expect(clock(299.2)).toBe('5:00')
  expect(clock(65)).toBe('1:05')
  expect(clock(-3)).toBe('0:00')
})

it('tells a pace only where it is known', () => {
  expect(perHour(12)).toBe('300 an hour')
  expect(perHour(null)).toBe('–')
  expect(perHour(0)).toBe('–')
})
