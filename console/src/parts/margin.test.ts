import { expect, test } from 'vitest'
import { LIMIT_AT, marginText, placeOnBar } from './margin'

test('a reading at half its maximum stands at half the way to the limit', () => {
  expect(placeOnBar({ value: 0.1, minimum: null, maximum: 0.2 })).toBeCloseTo(LIMIT_AT / 2)
})

test('a reading far over its minimum stands far to the right of it', () => {
  expect(placeOnBar({ value: 600e6, minimum: 2e6, maximum: null })).toBeGreaterThan(0.99)
})

test('a reading under its minimum stands left of the limit, and never off the bar', () => {
  expect(placeOnBar({ value: 1e6, minimum: 2e6, maximum: null })).toBe(0)
})

test('with both limits a reading stands between them', () => {
  expect(placeOnBar({ value: 3, minimum: 1, maximum: 5 })).toBeCloseTo(0.5)
})

test('without a limit or a value there is no place', () => {
  expect(placeOnBar({ value: 3, minimum: null, maximum: null })).toBeNull()
  expect(placeOnBar({ value: null, minimum: 1, maximum: null })).toBeNull()
})

test('margins are percent of the limit, cut where the number says nothing more', () => {
  expect(marginText(0.59)).toBe('+59 %')
  expect(marginText(-0.2)).toBe('−20 %')
  expect(marginText(286)).toBe('> +999 %')
  expect(marginText(null)).toBe('')
})
