import { expect, test } from 'vitest'
import { departs, plain, put, type Schema, shapeOf, words } from './schema'

const defs: Record<string, Schema> = {
  Part: { type: 'object', properties: { id: { type: 'string' } }, title: 'Part' },
}

test('a reference and an optional value become plain and keep their own title', () => {
  const found = plain({ anyOf: [{ $ref: '#/$defs/Part' }, { type: 'null' }], title: 'Own' }, defs)
  expect(found).toMatchObject({ type: 'object', title: 'Own' })
})

test.each([
  [{ enum: ['a'], type: 'string' }, 'choice'],
  [{ type: 'boolean' }, 'flag'],
  [{ type: 'integer' }, 'number'],
  [{ type: 'array', items: { type: 'string' } }, 'words'],
  [{ type: 'array', items: { enum: ['a', 'b'] } }, 'choices'],
  [{ type: 'array', items: { $ref: '#/$defs/Part' } }, 'rows'],
  [{ type: 'object', properties: {} }, 'group'],
  [{ type: 'string', format: 'voltage' }, 'text'],
] as [Schema, string][])('the shape of %j is %s', (schema, shape) => {
  expect(shapeOf(schema, defs)).toBe(shape)
})

test('an emptied field is taken out, so that its default holds', () => {
  expect(put({ a: 1, b: 2 }, 'a', '')).toEqual({ b: 2 })
  expect(put({ a: 1 }, 'a', [])).toEqual({})
  expect(put({ a: 1 }, 'a', {})).toEqual({})
  expect(put({}, 'a', 'x')).toEqual({ a: 'x' })
})

test('a list is what stands between commas', () => {
  expect(words(' L, N ,,PE ')).toEqual(['L', 'N', 'PE'])
})

test('the same quantity written otherwise does not depart', () => {
  expect(departs('0.5 s', { default: '500 ms' })).toBe(false)
  expect(departs('1 kV', { default: '1000 V' })).toBe(false)
  expect(departs('1 MV', { default: '1 mV' })).toBe(true)
  expect(departs('5 mA', { default: '5 mV' })).toBe(true)
})

test('only what differs from a default that says something departs', () => {
  expect(departs('25 A', { default: '25 A' })).toBe(false)
  expect(departs('10 A', { default: '25 A' })).toBe(true)
  expect(departs(undefined, { default: '25 A' })).toBe(false)
  expect(departs('fixed', { default: null })).toBe(false)
})
