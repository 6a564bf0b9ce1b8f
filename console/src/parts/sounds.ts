/** What a sound tells: shapes that cannot be taken for each other, or for a beep. */
export type Sound = 'pass' | 'fail' | 'attention' | 'break' | 'refused'

const KEY = 'loricate-sounds'

export interface Note {
  hertz: number
  atS: number
  forS: number
  shape: OscillatorType
}

/** Pass rises in three, fail falls to a rasp, attention repeats one note, a break clicks. */
const NOTES: Record<Sound, Note[]> = {
  pass: [
    { hertz: 523, atS: 0, forS: 0.12, shape: 'sine' },
    { hertz: 659, atS: 0.12, forS: 0.12, shape: 'sine' },
    { hertz: 784, atS: 0.24, forS: 0.3, shape: 'sine' },
  ],
  fail: [
    { hertz: 220, atS: 0, forS: 0.25, shape: 'sawtooth' },
    { hertz: 147, atS: 0.28, forS: 0.6, shape: 'sawtooth' },
  ],
  break: [
    { hertz: 1480, atS: 0, forS: 0.03, shape: 'triangle' },
    { hertz: 990, atS: 0.05, forS: 0.05, shape: 'triangle' },
  ],
  refused: [{ hertz: 185, atS: 0, forS: 0.2, shape: 'sawtooth' }],
  attention: [
    { hertz: 880, atS: 0, forS: 0.08, shape: 'triangle' },
    { hertz: 880, atS: 0.16, forS: 0.08, shape: 'triangle' },
  ],
}

/** How a bench sounds, from its bench file: what carries the notes, and how many semitones up. */
export interface Voice {
  voice: string
  pitch: number
}

const CARRIERS: Record<string, Partial<Record<OscillatorType, OscillatorType>>> = {
  bell: {},
  reed: { sine: 'square', triangle: 'square', sawtooth: 'triangle' },
  wood: { sine: 'triangle', triangle: 'sine', sawtooth: 'square' },
}

/** Whether this bench's console makes sounds; on until somebody turns them off here. */
export function soundsAreOn(): boolean {
  return localStorage.getItem(KEY) !== 'off'
}

export function keepSounds(on: boolean): void {
  localStorage.setItem(KEY, on ? 'on' : 'off')
}

/** The notes of a sound in a bench's own voice. */
export function notesOf(sound: Sound, { voice, pitch }: Voice): Note[] {
  return NOTES[sound].map((note) => ({
    ...note,
    hertz: note.hertz * 2 ** (pitch / 12),
    shape: CARRIERS[voice]?.[note.shape] ?? note.shape,
  }))
}

let context: AudioContext | null = null

/** Play a sound, if sounds are on and the browser lets the page make any. */
export function play(sound: Sound, voice: Voice = { voice: 'bell', pitch: 0 }): void {
  if (!soundsAreOn() || typeof AudioContext === 'undefined') return
  context ??= new AudioContext()
  const now = context.currentTime
  for (const note of notesOf(sound, voice)) {
    const source = context.createOscillator()
    const level = context.createGain()
    source.type = note.shape
    source.frequency.value = note.hertz
    level.gain.setValueAtTime(0.2, now + note.atS)
    level.gain.linearRampToValueAtTime(0, now + note.atS + note.forS)
    source.connect(level).connect(context.destination)
    source.start(now + note.atS)
    source.stop(now + note.atS + note.forS)
  }
}
