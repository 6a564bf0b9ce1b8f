import { expect, test } from 'vitest'
import { figureOf, formulaText, testOf } from './itemText'

const cord = {
  base: '0.3 Ω',
  add: '0.1 Ω',
  per: '7.5 m',
  of: 'cord_length',
  beyond: '5 m',
  begun: true,
  at_most: '1 Ω',
}

test('a formula is told in words', () => {
  expect(formulaText(cord)).toBe(
    '0.3 Ω + 0.1 Ω per 7.5 m of cord length begun beyond 5 m, at most 1 Ω',
  )
})

test('a limit shows its sides, figure or formula', () => {
  const item = { id: 'a', clause: '1' }
  expect(figureOf({ ...item, minimum: '1 MΩ' })).toBe('≥ 1 MΩ')
  expect(figureOf({ ...item, minimum: '1 V', maximum: '2 V' })).toBe('1 V to 2 V')
  expect(figureOf({ ...item, maximum_by: cord })).toContain('≤ 0.3 Ω + 0.1 Ω per 7.5 m')
  expect(figureOf(item)).toBe('')
})

test('what the test must be names the variant, the least and the most', () => {
  const item = {
    id: 'a',
    clause: '1',
    variant: { condition: ['open_neutral', 'open_earth'] },
    least: { current: '25 A' },
    most: { dwell: '10 s' },
  }
  expect(testOf(item)).toBe(
    'condition open neutral or open earth; current at least 25 A; dwell at most 10 s',
  )
})
