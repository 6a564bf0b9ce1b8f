import { expect, test } from 'vitest'
import { cableOf, faultsOf, netRows, netsIn, netsOf } from './cable'
import { attempt, cable, fault, reading } from './made'

test('a product without connectors has no wiring to show', () => {
  expect(cableOf({ family: 'cable', cable: { length: '6 m' } })).toBeNull()
  expect(cableOf({ family: 'appliance' })).toBeNull()
})

test('each position has its own nets beside those that are always there', () => {
  expect(netsIn(cable(), 'A').map((each) => each.name)).toEqual(['UP', '+24V', 'S1'])
  expect(netsIn(cable(), 'B').map((each) => each.name)).toEqual(['UP', '+24V', 'S2'])
})

test('a point is that of a net, of a branch of it, or of nets tied together', () => {
  const isOf = (point: string, name: string, position: string) => netsOf(point, position).has(name)
  expect(isOf('A: UP', 'UP', 'A')).toBe(true)
  expect(isOf('B: UP', 'UP', 'A')).toBe(false)
  expect(isOf('UP X1:1 to X2:1', 'UP', '')).toBe(true)
  expect(isOf('A: UP++24V', '+24V', 'A')).toBe(true)
  expect(isOf('A: UP++24V', 'UP', 'A')).toBe(true)
  expect(isOf('A: UPPER', 'UP', 'A')).toBe(false)
  expect(isOf('A: STOP+UP', 'TOP', 'A')).toBe(false)
})

test('each net has what every step read of it, and those that failed come first', () => {
  const rows = netRows(cable(), 'A', [
    attempt({
      readings: [
        reading('A: UP', '200 mΩ'),
        reading('A: +24V', '5 Ω', 'fail'),
        reading('B: UP', '999 mΩ'),
      ],
    }),
    attempt({
      step_id: 'ir',
      kind: 'insulation',
      readings: [reading('A: UP++24V', '> 1 GΩ'), reading('A: S1', '> 1 GΩ')],
    }),
    attempt({
      step_id: 'ac',
      kind: 'withstand',
      readings: [
        reading('A: S1', '0.2 mA', 'pass', 'current'),
        reading('A: S1', '1 µA', '', 'resistive_current'),
      ],
    }),
  ])
  expect(rows.map((each) => each.net.name)).toEqual(['+24V', 'UP', 'S1', 'R1'])
  const [, up, s1] = rows
  expect([up?.low?.text, up?.insulation?.text]).toEqual(['200 mΩ', '> 1 GΩ'])
  expect([s1?.ac?.text, s1?.dc]).toEqual(['0.2 mA', undefined])
})

test('a net that a fault touches has failed, whatever it read; only the latest attempt counts', () => {
  const found = fault('swapped', ['X1:1', 'X1:2'], 'A: UP')
  const rows = netRows(cable(), 'A', [attempt({ faults: [found] })])
  expect(rows.filter((each) => each.verdict === 'fail').map((each) => each.net.name)).toEqual([
    'UP',
    'S1',
  ])
  const again = [attempt({ faults: [found] }), attempt({ number: 2 })]
  expect(faultsOf(again)).toEqual([])
  expect(netRows(cable(), 'A', again).every((each) => each.faults.length === 0)).toBe(true)
})

test('a component is a line of its own, and what is wrong with it is not said of its nets', () => {
  const found = fault('missing', ['X1:1', 'X1:+24V'], 'A: R1')
  const rows = netRows(cable(), 'A', [attempt({ faults: [found] })])
  expect(rows.filter((each) => each.verdict === 'fail').map((each) => each.net.name)).toEqual([
    'R1',
  ])
  expect(rows[0]?.sort).toBe('resistor')
})
