import { expect, test } from 'vitest'
import { netRows } from '../wiring/cable'
import {
  type Captured,
  cableOfCapture,
  changesOf,
  type Item,
  inOrder,
  markedRows,
} from './captured'

function item(name: string, contacts: string[], more: Partial<Item> = {}): Item {
  return {
    key: `net ${contacts.join(' ')}`,
    name,
    sort: 'net',
    contacts,
    position: '',
    measured: ['0.1 Ω'],
    proposed: { name, minimum: '70 mΩ', maximum: '130 mΩ' },
    fields: ['name', 'minimum', 'maximum'],
    differs: [],
    standing: 'open',
    changes: {},
    ...more,
  } as Item
}

const CAPTURED = {
  id: 'c',
  contacts: ['X1:1', 'X1:2', 'X1:+24V', 'X2:1', 'X2:2', 'X2:3'],
  positions: ['A', 'B'],
  units: [],
  items: [
    item('N1', ['X1:1', 'X2:1'], { standing: 'changed', changes: { name: 'UP' } }),
    item('N2', ['X1:2', 'X2:2'], { position: 'A', differs: ['It is in one alone.'] }),
    item('N3', ['X1:2', 'X2:3'], { position: 'B' }),
    item('N4', ['X1:+24V', 'X2:3'], { standing: 'refused' }),
    item('R1', ['X1:1', 'X1:+24V'], {
      sort: 'resistor',
      proposed: { name: 'R1', value: '560 Ω', tolerance: '10 %' },
    }),
  ],
  differences: [],
  remarks: [],
  open: 3,
} as unknown as Captured

test('a capture is drawn as the cable that it would become', () => {
  const cable = cableOfCapture(CAPTURED)
  expect(cable.connectors.map((each) => [each.code, each.side, each.rows])).toEqual([
    ['X1', 'left', [['1', '2', '+24V']]],
    ['X2', 'right', [['1', '2', '3']]],
  ])
  expect(cable.nets.map((each) => each.name)).toEqual(['UP'])
  expect(cable.positions.map((each) => each.nets.map((net) => net.name))).toEqual([['N2'], ['N3']])
  expect(cable.parts[0]).toEqual({
    name: 'R1',
    sort: 'resistor',
    between: ['X1:1', 'X1:+24V'],
    value: '560 Ω',
  })
})

test('what is refused is not drawn, and a shield is one when somebody says so', () => {
  const [first, ...rest] = CAPTURED.items
  const shield = { ...first, changes: { name: 'S', shield: 'yes' } } as Item
  const cable = cableOfCapture({ ...CAPTURED, items: [shield, ...rest] })
  expect(cable.shields.map((each) => each.name)).toEqual(['S'])
  expect(JSON.stringify(cable)).not.toContain('N4')
})

test('in what units differ is marked until somebody has decided it', () => {
  const rows = netRows(cableOfCapture(CAPTURED), 'A', [])
  const marked = markedRows(rows, CAPTURED).filter((each) => each.verdict === 'fail')
  expect(marked.map((each) => each.net.name)).toEqual(['N2'])
  const decided = CAPTURED.items.map((each) => ({ ...each, standing: 'accepted' as const }))
  expect(
    markedRows(rows, { ...CAPTURED, items: decided }).some((each) => each.verdict === 'fail'),
  ).toBe(false)
})

test('what was typed and is as proposed is no change', () => {
  const one = item('N1', ['X1:1', 'X2:1'])
  expect(changesOf(one, { name: 'N1 ', minimum: '70 mΩ' })).toEqual({})
  expect(changesOf(one, { name: ' UP ', maximum: '200 mΩ' })).toEqual({
    name: 'UP',
    maximum: '200 mΩ',
  })
  const before = item('N1', ['X1:1', 'X2:1'], { changes: { name: 'UP' } })
  expect(changesOf(before, { maximum: '200 mΩ' })).toEqual({ name: 'UP', maximum: '200 mΩ' })
})

test('what is open and differs comes first, what is decided last', () => {
  expect(inOrder(CAPTURED.items).map((each) => each.name)).toEqual(['N2', 'N3', 'R1', 'N1', 'N4'])
})
