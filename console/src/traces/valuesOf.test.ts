import { expect, test, vi } from 'vitest'
import type { Schemas } from '../api/client'

vi.mock('uplot', () => ({ default: class {} }))

const trace = {
  serial: 'A',
  elapsed_s: [0, 1, 2],
  columns: [
    { name: 'voltage', unit: 'V', values: [0, 500, 500], minimum: null, maximum: null },
    { name: 'current', unit: 'A', values: [0, 1e-6, null], minimum: null, maximum: 5e-3 },
  ],
} as unknown as Schemas['TraceOut']

test('a sampled quantity is drawn with the limits of its step', async () => {
  const { valuesOf } = await import('./TracePlot')
  expect(valuesOf(trace, 'current')).toMatchObject({ unit: 'A', maximum: 5e-3, minimum: null })
})

test('resistance is volts over amperes, and nothing where one of them is missing', async () => {
  const { valuesOf } = await import('./TracePlot')
  expect(valuesOf(trace, 'U/I')).toMatchObject({ unit: 'Ω', values: [null, 5e8, null] })
})
