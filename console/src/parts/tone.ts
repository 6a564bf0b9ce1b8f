import { soundsAreOn, type Voice } from './sounds'

const LOW_HERTZ = 220
const OCTAVES = 2
const LOUD = 0.08

/** How high a tone is for a share of the limit: two octaves up to it, and one more beyond. */
export function toneHertz(share: number, pitch = 0): number {
  const bounded = Math.min(1.5, Math.max(0, Number.isFinite(share) ? share : 1.5))
  return LOW_HERTZ * 2 ** (bounded * OCTAVES + pitch / 12)
}

/** A tone that goes on until it is stopped, and changes with what it tells of. */
export interface Tone {
  tell: (share: number) => void
  stop: () => void
}

/** Begin a tone, if sounds are on and the browser lets the page make any; else nothing is heard. */
export function beginTone({ voice, pitch }: Voice): Tone {
  if (!soundsAreOn() || typeof AudioContext === 'undefined') {
    return { tell: () => {}, stop: () => {} }
  }
  const context = new AudioContext()
  const source = context.createOscillator()
  const level = context.createGain()
  source.type = voice === 'reed' ? 'square' : voice === 'wood' ? 'triangle' : 'sine'
  source.frequency.value = toneHertz(0, pitch)
  level.gain.value = LOUD
  source.connect(level).connect(context.destination)
  source.start()
  return {
    tell: (share) =>
      source.frequency.setTargetAtTime(toneHertz(share, pitch), context.currentTime, 0.02),
    stop: () => void context.close(),
  }
}
