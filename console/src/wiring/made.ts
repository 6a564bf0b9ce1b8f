/** A small cable for tests: three nets, a resistor, a switch of two positions. */
import type { Attempt, Reading } from '../api/client'
import { type Cable, cableOf } from './cable'

export const PRODUCT = {
  code: 'K-1',
  cable: {
    connectors: [
      { code: 'X1', title: 'Left', rows: [['1', '2', '3'], ['+24V']] },
      { code: 'X2', title: 'Right', side: 'right', rows: [['1', '2', '3', '4']] },
    ],
    nets: [
      { name: 'UP', contacts: ['X1:1', 'X2:1'], colour: 'brown', cross_section: '0.5 mm²' },
      { name: '+24V', contacts: ['X1:+24V', 'X2:4'] },
    ],
    parts: [{ name: 'R1', sort: 'resistor', between: ['X1:1', 'X1:+24V'], value: '560 Ω' }],
    positions: [
      { code: 'A', title: 'slow', nets: [{ name: 'S1', contacts: ['X1:2', 'X2:2'] }] },
      { code: 'B', title: 'fast', nets: [{ name: 'S2', contacts: ['X1:2', 'X2:3'] }] },
    ],
  },
}

export function cable(): Cable {
  const found = cableOf(PRODUCT)
  if (found === null) throw new Error('it has connectors')
  return found
}

export function reading(point: string, text: string, verdict = 'pass', quantity = 'resistance') {
  return { quantity, point, text, verdict, limit: '≤ 1 Ω', margin: 0.5 } as Reading
}

export function attempt(more: Partial<Attempt>): Attempt {
  const own = { step_id: 'w', number: 1, kind: 'wiring', readings: [], faults: [] }
  return { ...own, ...more } as unknown as Attempt
}

export function fault(cause: string, contacts: string[], point = '', text = 'It is wrong.') {
  return { cause, contacts, point, text, repetition: 1 } as Attempt['faults'][number]
}
