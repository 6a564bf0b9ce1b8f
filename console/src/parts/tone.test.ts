import { expect, test } from 'vitest'
import { toneHertz } from './tone'

test('a tone rises with the share of its limit, and says what is beyond it', () => {
  expect(toneHertz(0)).toBe(220)
  expect(toneHertz(0.5)).toBe(440)
  expect(toneHertz(1)).toBe(880)
  expect(toneHertz(1.5)).toBeGreaterThan(toneHertz(1))
  expect(toneHertz(9)).toBe(toneHertz(1.5))
  expect(toneHertz(-1)).toBe(220)
  expect(toneHertz(Number.NaN)).toBe(toneHertz(1.5))
})
