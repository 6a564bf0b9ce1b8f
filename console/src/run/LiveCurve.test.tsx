import { expect, test } from 'vitest'
import { limitLines } from './LiveCurve'

const limit = (quantity: string, minimum: number | null, maximum: number | null) => ({
  quantity,
  point: '',
  text: '',
  source: '',
  minimum,
  maximum,
})

test('a limit is a line at each of its figures, of its own quantity alone', () => {
  const limits = [limit('current', 3e-3, 12e-3), limit('resistance', 1e8, null)]
  expect(limitLines(limits, 'current')).toEqual([3e-3, 12e-3])
  expect(limitLines(limits, 'resistance')).toEqual([1e8])
  expect(limitLines(limits, 'voltage')).toEqual([])
})
