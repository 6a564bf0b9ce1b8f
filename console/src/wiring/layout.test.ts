import { expect, test } from 'vitest'
import { drawingOf } from './layout'
import { cable, fault } from './made'

test('every contact has a place of its own at its side', () => {
  const { contacts, width, height } = drawingOf(cable(), 'A', [])
  const places = [...contacts.values()].map(({ x, y }) => `${x} ${y}`)
  expect(new Set(places).size).toBe(8)
  expect([...contacts.values()].every(({ x, y }) => x <= width && y < height)).toBe(true)
  expect(contacts.get('X1:+24V')?.side).toBe('left')
  expect(contacts.get('X2:4')?.side).toBe('right')
})

test('an open wire is broken, and no other', () => {
  const { wires } = drawingOf(cable(), 'A', [fault('open', ['X1:1', 'X2:1'])])
  expect(wires.filter((each) => each.isOpen).map((each) => each.net.name)).toEqual(['UP'])
})

test('crossed wires are drawn to where they really end, in place of where they should', () => {
  const { wires, marks } = drawingOf(cable(), 'A', [fault('swapped', ['X2:1', 'X2:2'])])
  expect(wires.map((each) => each.net.name)).toEqual(['+24V'])
  expect(marks.map((each) => each.contacts)).toEqual([
    ['X1:1', 'X2:2'],
    ['X1:2', 'X2:1'],
  ])
})

test('an end in a free contact is drawn there', () => {
  const { marks } = drawingOf(cable(), 'A', [fault('swapped', ['X2:1', 'X2:3'])])
  expect(marks.map((each) => each.contacts)).toEqual([['X1:1', 'X2:3']])
})

test('a short is a bridge between its contacts, and a connector out of place is marked', () => {
  const { marks } = drawingOf(cable(), 'B', [
    fault('short', ['X1:1', 'X1:2']),
    fault('no_contact', ['X2:1', 'X2:2']),
    fault('high_resistance', ['X1:1', 'X2:1']),
  ])
  expect(marks.map((each) => each.sort)).toEqual(['bridge', 'unplugged'])
})
