import { expect, test } from 'vitest'
import { greatestOhms, ohmsOf } from './ohms'
import type { Look } from './runState'

const look = (voltage: number, current: number, phase = 'dwell'): Look => ({
  elapsedS: 0,
  phase,
  values: { voltage, current },
})

test('the greatest counts, and an open loop is more than any resistance', () => {
  expect(greatestOhms([look(1, 20), look(2, 20), look(1, 20)])).toBe(0.1)
  expect(greatestOhms([look(1, 20), look(6, 0)])).toBe(Number.POSITIVE_INFINITY)
  expect(greatestOhms([])).toBeNull()
  expect(greatestOhms([look(1, 20, 'ramp')])).toBeNull()
  expect(ohmsOf(undefined)).toBeNull()
})
