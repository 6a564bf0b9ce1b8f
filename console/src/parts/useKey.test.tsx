import { renderHook } from '@testing-library/react'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { SCAN_MS, useKey } from './useKey'

beforeEach(() => {
  vi.useFakeTimers()
})

afterEach(() => {
  vi.useRealTimers()
})

/** A page on which the key 1 does something, and what it did. */
function shown() {
  const done: string[] = []
  const page = renderHook(({ words, isOn }) => useKey('1', isOn, () => done.push(words)), {
    initialProps: { words: 'before', isOn: true },
  })
  globalThis.dispatchEvent(new KeyboardEvent('keydown', { key: '1' }))
  return { page, done }
}

test('a key that is pressed while what it does is told anew is not lost', () => {
  const { page, done } = shown()
  page.rerender({ words: 'after', isOn: true })
  vi.advanceTimersByTime(SCAN_MS)
  expect(done).toEqual(['after'])
})

test('a key that was pressed before it meant nothing any more does nothing', () => {
  const { page, done } = shown()
  page.rerender({ words: 'before', isOn: false })
  vi.advanceTimersByTime(SCAN_MS)
  expect(done).toEqual([])
})
