import { expect, test } from 'vitest'
import {
  type Curve,
  diesAway,
  drawnOf,
  lineThrough,
  nameOf,
  pointsOf,
  quantitiesOf,
  valuesOf,
} from './drawn'

const column = (name: string, unit: string, values: (number | null)[]) => ({
  name,
  dimension: name,
  unit,
  values,
  minimum: null,
  maximum: name === 'current' ? 5e-3 : null,
})
const curve: Curve = {
  name: 'course',
  point: 'A to B',
  repetition: 2,
  drawn: 'line',
  x: column('time', 's', [0, 1, 2]),
  columns: [column('voltage', 'V', [0, 500, 500]), column('current', 'A', [0, 1e-6, null])],
  marks: [],
}

test('a sampled quantity is drawn with the limits of its step', () => {
  expect(valuesOf(curve, 'current')).toMatchObject({ unit: 'A', maximum: 5e-3, minimum: null })
})

test('resistance is volts over amperes, and nothing where one of them is missing', () => {
  expect(valuesOf(curve, 'U/I')).toMatchObject({ unit: 'Ω', values: [null, 5e8, null] })
})

test('a quantity that a curve has not leaves each of its places empty', () => {
  expect(valuesOf(curve, 'power').values).toEqual([null, null, null])
})

test('each curve is told from the others by its attempt, point and repetition', () => {
  const [first] = drawnOf([
    {
      serial: 'S-1',
      step_id: 's',
      title: 'S',
      number: 3,
      curves: [curve, { ...curve, point: '' }],
    },
  ])
  expect(first && nameOf(first)).toBe('S-1, attempt 3, A to B, repetition 2')
})

test('what some curve has can be drawn, and points are named once', () => {
  const power = { ...curve, columns: [column('power', 'W', [1, 2, 3])] }
  const drawn = drawnOf([
    { serial: 'S-1', step_id: 's', title: 'S', number: 1, curves: [curve, power, curve] },
  ])
  expect(quantitiesOf(drawn)).toEqual(['voltage', 'current', 'power', 'U/I', 'voltage and current'])
  expect(pointsOf(drawn)).toEqual(['A to B'])
})

test('the line through points is by least squares, and none through one place', () => {
  expect(lineThrough([0, 1, 2], [1, 3, 5])).toEqual([1, 3, 5])
  expect(lineThrough([0, null, 2], [0, 9, 4])?.[2]).toBe(4)
  expect(lineThrough([1, 1], [2, 3])).toBeNull()
  expect(lineThrough([1], [2])).toBeNull()
})

test('only what dies away has a scale for decades', () => {
  const of = (values: number[]) => {
    const own = { ...curve, columns: [column('current', 'A', values)] }
    return drawnOf([{ serial: 'S', step_id: 's', title: 'S', number: 1, curves: [own] }])
  }
  expect(diesAway(of([1e-6, 1e-8, 1e-9]), 'current')).toBe(true)
  expect(diesAway(of([1e-6, 1e-8, 1e-9]), 'voltage')).toBe(false)
  // What rises with its ramp, stands and falls does not die away, however small its ends are.
  expect(diesAway(of([1e-6, 5e-4, 1e-3, 1e-3, 1e-3, 5e-8]), 'current')).toBe(false)
})
