import { expect, test } from 'vitest'
import { type Curve, type Drawn, peakOf } from './drawn'
import { wavesIn } from './waveform'

function pulse(point: string, peak: number, number = 1): Drawn {
  const column = { name: 'voltage', dimension: 'voltage', unit: 'V', values: [0, -peak, peak / 2] }
  const curve = { name: 'waveform', point, repetition: 1, columns: [column] }
  return { serial: 'M-1', number, curve: curve as unknown as Curve }
}

const peaks = ({ curve }: Drawn) => peakOf(curve)
const WAVES = [
  pulse('U', 500),
  pulse('U', 900),
  pulse('V', 500),
  pulse('V', 901),
  pulse('V', 905, 2),
]

test('phases are overlaid at their last pulse, of each attempt its own', () => {
  expect(wavesIn(WAVES, 'overlaid', 'U', 0).map(peaks)).toEqual([900, 901, 905])
})

test('the pulses of a phase are nested by rising volts', () => {
  expect(wavesIn(WAVES, 'nested', 'U', 0).map(peaks)).toEqual([500, 900])
})

test('one pulse after another, and never past the last', () => {
  expect(wavesIn(WAVES, 'singly', 'U', 0).map(peaks)).toEqual([500])
  expect(wavesIn(WAVES, 'singly', 'U', 9).map(peaks)).toEqual([900])
  expect(wavesIn([], 'singly', 'U', 0)).toEqual([])
})
