import { expect, test } from 'vitest'
import type { Schema } from '../forms/schema'
import {
  addAfter,
  freeId,
  glance,
  kindSchema,
  move,
  neighbour,
  replace,
  type Step,
  written,
} from './document'

const steps: Step[] = ['look', 'earth', 'leak'].map((id) => ({ id, kind: 'visual' }))
const ids = (found: Step[]) => found.map((step) => step.id).join(' ')

test('a new step comes after the selected one and takes a free id', () => {
  expect(ids(addAfter(steps, 'look', { id: 'earth', kind: 'wait' }))).toBe(
    'look earth-2 earth leak',
  )
  expect(ids(addAfter(steps, '', { id: 'new', kind: 'wait' }))).toBe('look earth leak new')
  expect(ids(addAfter([], '', { id: 'new', kind: 'wait' }))).toBe('new')
  expect(freeId([...steps, { id: 'look-2', kind: 'visual' }], 'look')).toBe('look-3')
})

test('a step moves and the others keep their order', () => {
  expect(ids(move(steps, 'leak', 0))).toBe('leak look earth')
  expect(ids(move(steps, 'look', 1))).toBe('earth look leak')
  expect(ids(move(steps, 'look', 99))).toBe('earth leak look')
  expect(ids(move(steps, 'none', 0))).toBe('look earth leak')
})

test('a step is replaced under a new id, and a neighbour is selected when one goes', () => {
  expect(ids(replace(steps, 'earth', { id: 'bond', kind: 'ground_bond' }))).toBe('look bond leak')
  expect(neighbour(steps, 'look')).toBe('earth')
  expect(neighbour(steps, 'leak')).toBe('earth')
  expect(neighbour([{ id: 'only', kind: 'wait' }], 'only')).toBe('')
})

test('a kind has its settings and its limits in the schema', () => {
  const schema = {
    $defs: {
      wait_settings: { type: 'object', properties: { time: { type: 'string' } } },
      Step: {
        allOf: [
          {
            if: { properties: { kind: { const: 'wait' } } },
            // biome-ignore lint/suspicious/noThenProperty: JSON Schema's own word.
            then: { properties: { limits: { propertyNames: { enum: ['power'] } } } },
          },
        ],
      },
    },
  }
  const found = kindSchema(schema as Parameters<typeof kindSchema>[0], 'wait')
  expect(Object.keys(found.settings.properties ?? {})).toEqual(['time'])
  expect(found.limits).toEqual(['power'])
})

test('a value is written where its way leads, and what lacks on the way is made', () => {
  const own: Step = { id: 's', kind: 'continuity', settings: { paths: [{ high: 'L' }, {}] } }
  expect(written(own, ['limits', 'resistance', 'maximum'], '1 Ω')).toEqual({
    ...own,
    limits: { resistance: { maximum: '1 Ω' } },
  })
  expect(written(own, ['settings', 'paths', 1, 'maximum'], '2 Ω').settings).toEqual({
    paths: [{ high: 'L' }, { maximum: '2 Ω' }],
  })
})

const schema = {
  $defs: {
    Step: {
      allOf: [
        {
          if: { properties: { kind: { const: 'withstand' } } },
          // biome-ignore lint/suspicious/noThenProperty: a word of JSON Schema
          then: { properties: { limits: { propertyNames: { enum: ['current'] } } } },
        },
      ],
    },
    withstand_settings: {
      properties: {
        high: { type: 'array' },
        level: { type: 'string', format: 'voltage' },
        trip: { anyOf: [{ type: 'string', format: 'current' }, { type: 'null' }] },
        dwell: { type: 'string', format: 'time', default: '1 s' },
      },
    },
  },
} as unknown as Schema

test.each([
  [
    { level: '1.03 kV' },
    { minimum: '0.4 mA', maximum: '5 mA' },
    '1.03 kV for 1 s',
    'current 0.4 mA to 5 mA',
  ],
  [{ level: '2 kV', dwell: '60 s' }, { maximum: '5 mA' }, '2 kV for 60 s', 'current ≤ 5 mA'],
  [{}, { source: 'IEC-1' }, 'for 1 s', 'current as IEC-1'],
])('a step is told at a glance: %j', (settings, current, level, limits) => {
  const step = { id: 'hv', kind: 'withstand', settings, limits: { current } }
  expect(glance(step, schema)).toEqual({ level, limits })
})

test('a step of a person alone has neither level nor limits', () => {
  expect(glance({ id: 'look', kind: 'visual' }, schema)).toEqual({ level: '', limits: '' })
})
