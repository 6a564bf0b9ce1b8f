import { expect, test } from 'vitest'
import type { Schemas } from '../api/client'
import { dueOf } from './due'

const INSTRUMENT = { id: 'HV1', serial: 'WS-1', problem: '', doubt: '', days_left: 200 }
const FIXTURE = { code: 'FX-A', requirements: [{ name: 'zero', met: true, reason: '' }] }

function bench(instruments: object[], fixtures: object[]): Schemas['BenchOut'] {
  return { instruments, fixtures } as unknown as Schemas['BenchOut']
}

test('nothing is due of a bench that is fit', () => {
  expect(dueOf(bench([INSTRUMENT], [FIXTURE]))).toEqual([])
})

test('what is over comes first, then what ends soonest', () => {
  const due = dueOf(
    bench(
      [
        { ...INSTRUMENT, id: 'A', days_left: 12 },
        { ...INSTRUMENT, id: 'B', days_left: -3 },
        { ...INSTRUMENT, id: 'C', problem: 'does not answer' },
        { ...INSTRUMENT, id: 'D', doubt: 'read less than nothing' },
        { ...INSTRUMENT, id: 'E', days_left: null },
      ],
      [{ ...FIXTURE, requirements: [{ name: 'check', met: false, reason: 'No daily check.' }] }],
    ),
  )
  expect(due.map(({ what, why }) => `${what}: ${why}`)).toEqual([
    'B: calibration over for 3 days',
    'C: does not answer',
    'D: not believed: it read less than nothing',
    'FX-A: No daily check.',
    'A: calibration ends in 12 days',
  ])
})
