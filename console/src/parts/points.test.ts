import { expect, test } from 'vitest'
import type { Attempt, Reading } from '../api/client'
import { byPoint, telling } from './points'

function reading(quantity: string, point: string, own: Partial<Reading> = {}): Reading {
  return {
    quantity,
    point,
    value: 1,
    dimension: 'resistance',
    unit: 'ohm',
    bound: 'exact',
    uncertainty: 0,
    text: '1 Ω',
    instrument: 'GB1',
    minimum: null,
    maximum: 2,
    limit: '≤ 2 Ω',
    source: 'drawing 4',
    verdict: 'pass',
    cause: '',
    guarded: '',
    band: null,
    ungraded: '',
    margin: 0.5,
    corrections: [],
    repetition: 0,
    ...own,
  } as Reading
}

const SHORT = {
  cause: 'over_limit',
  point: 'J1.3',
  text: 'open',
  repetition: 0,
} as Attempt['faults'][number]

test('one point alone, or none, is no table', () => {
  expect(byPoint([reading('resistance', ''), reading('current', '')], [])).toBeNull()
  expect(byPoint([reading('resistance', 'A to B'), reading('current', 'A to B')], [])).toBeNull()
})

test('points are rows and quantities columns, in their order, with a common limit in the head', () => {
  const found = byPoint(
    [
      reading('resistance', 'J1.2'),
      reading('current', 'J1.2', { limit: '', source: '' }),
      reading('resistance', 'J1.1', { limit: '≤ 3 Ω' }),
      reading('current', 'J1.1', { limit: '', source: '' }),
      reading('time', ''),
    ],
    [],
  )
  expect(found?.rows.map((row) => row.point)).toEqual(['J1.2', 'J1.1'])
  expect(found?.quantities).toEqual([
    { name: 'resistance', limit: '', source: '' },
    { name: 'current', limit: '', source: '' },
  ])
  expect(found?.whole.map((each) => each.quantity)).toEqual(['time'])
  const same = byPoint([reading('resistance', 'J1.1'), reading('resistance', 'J1.2')], [])
  expect(same?.quantities).toEqual([{ name: 'resistance', limit: '≤ 2 Ω', source: 'drawing 4' }])
})

test('a point is wrong by a reading or by a fault, also one where nothing was read', () => {
  const found = byPoint(
    [
      reading('resistance', 'J1.1'),
      reading('resistance', 'J1.2', { verdict: 'fail' }),
      reading('resistance', 'J1.4', { verdict: 'inconclusive' }),
    ],
    [SHORT],
  )
  expect(found?.rows.map((row) => [row.point, row.isWrong])).toEqual([
    ['J1.1', false],
    ['J1.2', true],
    ['J1.4', true],
    ['J1.3', true],
  ])
})

test('the reading that tells most is the one that failed, else the one with the least margin', () => {
  const good = [
    reading('resistance', 'A', { margin: 0.5 }),
    reading('resistance', 'B', { margin: 0.1 }),
  ]
  expect(telling(good)?.point).toBe('B')
  expect(
    telling([...good, reading('resistance', 'C', { verdict: 'fail', margin: -0.2 })])?.point,
  ).toBe('C')
  const timed = [
    reading('current', '', { margin: 0.7 }),
    reading('time_at_level', '', { margin: 0 }),
  ]
  expect(telling(timed)?.quantity).toBe('current')
  expect(telling([reading('voltage', '', { limit: '', verdict: '' })])).toBeUndefined()
})
