import { expect, test } from 'vitest'
import type { Unit } from '../api/client'
import { datesOf, rowsOf, testsOf } from './dates'

function reading(quantity: string, value: number, bound = 'exact') {
  return { quantity, point: '', value, bound, text: `${value}`, repetition: 1, corrections: [] }
}

function unit(runId: string, at: string, kind: string, readings: object[]): Unit {
  const attempt = {
    kind,
    title: `the ${kind}`,
    started_at: at,
    readings,
    curves: 0,
    verdict: 'pass',
  }
  return { run_id: runId, nest: '1', verdict: 'pass', attempts: [attempt] } as unknown as Unit
}

const UNITS = [
  unit('new', '2026-11-20T10:00:00Z', 'polarization', [reading('index', 2), reading('ratio', 1.3)]),
  unit('old', '2026-03-01T10:00:00Z', 'polarization', [reading('index', 4)]),
  unit('other', '2026-05-01T10:00:00Z', 'withstand', [reading('current', 1e-3)]),
  unit('none', '2026-06-01T10:00:00Z', 'polarization', []),
]

test('a test is there once, whenever it was made', () => {
  expect(testsOf(UNITS).map(([kind]) => kind)).toEqual(['polarization', 'withstand'])
})

test('dates come oldest first, and only those that have something to show', () => {
  expect(datesOf(UNITS, 'polarization').map(({ runId }) => runId)).toEqual(['old', 'new'])
})

test('each quantity has its row, with what it lacks and how far it has moved', () => {
  const [index, ratio] = rowsOf(datesOf(UNITS, 'polarization'))
  expect(index).toEqual({ name: 'index', texts: ['4', '2'], change: -0.5 })
  expect(ratio).toEqual({ name: 'ratio', texts: [null, '1.3'], change: null })
})

test('a bound has not moved by any figure', () => {
  const dates = datesOf(
    [
      unit('a', '2026-01-01T00:00:00Z', 'insulation', [reading('resistance', 1e9, 'above')]),
      unit('b', '2026-02-01T00:00:00Z', 'insulation', [reading('resistance', 2e9)]),
    ],
    'insulation',
  )
  expect(rowsOf(dates)[0]?.change).toBeNull()
})
