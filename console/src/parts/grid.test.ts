import { expect, test } from 'vitest'
import type { Reading } from '../api/client'
import { grids } from './grid'

function reading(point: string, quantity = 'current'): Reading {
  return { point, quantity, text: `${quantity} ${point}` } as Reading
}

test('places are rows and circumstances columns, in the order in which they come', () => {
  const [grid, direct] = grids([
    reading('patient A'),
    reading('patient A', 'dc_current'),
    reading('earth'),
    reading('earth, neutral open'),
    reading('patient A, neutral open'),
    reading('patient A, neutral open, off'),
    reading('', 'voltage'),
  ])
  expect(grid?.columns).toEqual(['normal', 'neutral open', 'neutral open, off'])
  expect(grid?.rows.map((row) => [row.place, row.cells.map((cell) => cell?.text)])).toEqual([
    [
      'patient A',
      [
        'current patient A',
        'current patient A, neutral open',
        'current patient A, neutral open, off',
      ],
    ],
    ['earth', ['current earth', 'current earth, neutral open', undefined]],
  ])
  expect(direct?.rows).toHaveLength(1)
})

test('points that are places alone are no grid', () => {
  expect(grids([reading('W1'), reading('W2'), reading('W3, and its shield')])).toEqual([])
})

test('points under circumstances of their own, one each, are no grid', () => {
  expect(grids([reading('low, Pressure'), reading('high, Pressure')])).toEqual([])
})
