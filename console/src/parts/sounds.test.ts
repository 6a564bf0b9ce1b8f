import { expect, test } from 'vitest'
import { notesOf, type Sound } from './sounds'

const SOUNDS: Sound[] = ['pass', 'fail', 'attention', 'break', 'refused']
const VOICES = ['bell', 'reed', 'wood']

test('in every voice no sound can be taken for another', () => {
  for (const voice of VOICES) {
    const heard = SOUNDS.map((sound) => JSON.stringify(notesOf(sound, { voice, pitch: 0 })))
    expect(new Set(heard).size).toBe(SOUNDS.length)
  }
})

test('benches side by side can be told apart by voice or by pitch', () => {
  for (const sound of SOUNDS) {
    const heard = [
      ...VOICES.map((voice) => notesOf(sound, { voice, pitch: 0 })),
      notesOf(sound, { voice: 'bell', pitch: 5 }),
    ].map((notes) => JSON.stringify(notes))
    expect(new Set(heard).size).toBe(heard.length)
  }
})

test('an octave doubles every note', () => {
  const [low, high] = [0, 12].map((pitch) => notesOf('pass', { voice: 'bell', pitch }))
  expect(high?.map((note) => note.hertz)).toEqual(low?.map((note) => note.hertz * 2))
})
