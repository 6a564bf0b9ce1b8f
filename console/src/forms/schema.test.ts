import { expect, test } from 'vitest'
import { departs, isForThis, plain, put, type Schema, shapeOf, words } from './schema'

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
  const time = { default: '500 ms', 'x-units': { s: [1, 0], ms: [1e-3, 0] } } as Schema
  expect(departs('0.5 s', time)).toBe(false)
  expect(departs('5e-1 s', time)).toBe(false)
  expect(departs('0.6 s', time)).toBe(true)
  const volts = {
    default: '1 mV',
    'x-units': { V: [1, 0], mV: [1e-3, 0], kV: [1e3, 0], MV: [1e6, 0] },
  } as Schema
  expect(departs('0.001 V', volts)).toBe(false)
  expect(departs('1 MV', volts)).toBe(true)
  expect(departs('1 KV', volts)).toBe(true)
  expect(departs('1 mA', volts)).toBe(true)
})

test('only what differs from a default that says something departs', () => {
  expect(departs('25 A', { default: '25 A' })).toBe(false)
  expect(departs('10 A', { default: '25 A' })).toBe(true)
  expect(departs(undefined, { default: '25 A' })).toBe(false)
  expect(departs('fixed', { default: null })).toBe(false)
})

test('what is for one family is shown for it, and wherever it is filled in', () => {
  const schema = { properties: { cable: { 'x-where': { family: 'cable' } }, code: {} } }
  expect(isForThis(schema, 'code', {})).toBe(true)
  expect(isForThis(schema, 'cable', {})).toBe(false)
  expect(isForThis(schema, 'cable', { family: 'cable' })).toBe(true)
  expect(isForThis(schema, 'cable', { family: 'medical', cable: {} })).toBe(true)
})
