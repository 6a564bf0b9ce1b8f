import type { Drawn } from './drawn'

/** How waveforms of pulses are looked at. */
export type View = 'overlaid' | 'nested' | 'singly'

export const isWave = ({ curve }: Drawn) => curve.name === 'waveform'

/**
 * Which waveforms a view has. Those of a phase come in the order of their pulses; of an attempt
 * that was made again, each attempt's own last pulse is laid over.
 */
export function wavesIn(waves: Drawn[], view: View, phase: string, pulse: number): Drawn[] {
  if (view === 'overlaid') {
    const last = new Map(waves.map((each) => [keyOf(each), each]))
    return [...last.values()]
  }
  const own = waves.filter(({ curve }) => curve.point === phase)
  if (view === 'nested') return own
  return own.slice(Math.min(pulse, own.length - 1)).slice(0, 1)
}

const keyOf = ({ serial, number, curve }: Drawn) =>
  [serial, number, curve.point, curve.repetition].join(' ')
