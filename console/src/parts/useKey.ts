import { useLayoutEffect, useRef } from 'react'

/** A scanner types its characters closer together than this; nobody else does. */
export const SCAN_MS = 80

let before = Number.NEGATIVE_INFINITY // the character before the latest one
let character = Number.NEGATIVE_INFINITY
let latest = Number.NEGATIVE_INFINITY // any key: a scanner ends with Enter
globalThis.addEventListener?.(
  'keydown',
  (event) => {
    latest = event.timeStamp
    if (event.key.length > 1) return
    before = character
    character = event.timeStamp
  },
  { capture: true },
)

function isTypedInto(target: EventTarget | null): boolean {
  return target instanceof HTMLElement && target.matches('input, textarea, select')
}

/**
 * Do something when a key is pressed anywhere on the page, while `isOn`.
 *
 * A character counts only where it is typed by itself and into nothing: one within a serial that is
 * scanned, or typed into a field, is no answer to anything.
 */
export function useKey(key: string, isOn: boolean, act: () => void): void {
  // What is done may be told anew while a character waits to be alone: it is not lost by that.
  const latestAct = useRef(act)
  useLayoutEffect(() => {
    latestAct.current = act
  }, [act])
  // Before the browser paints: a key pressed at what is shown must not reach what was shown before.
  useLayoutEffect(() => {
    if (!isOn) return
    let alone: ReturnType<typeof setTimeout> | undefined
    function pressed(event: KeyboardEvent) {
      if (event.key !== key || event.repeat) return
      if (key.length > 1) {
        event.preventDefault()
        latestAct.current()
        return
      }
      if (isTypedInto(event.target) || event.timeStamp - before < SCAN_MS) return
      event.preventDefault()
      const at = event.timeStamp
      alone = setTimeout(() => {
        if (latest === at) latestAct.current()
      }, SCAN_MS)
    }
    window.addEventListener('keydown', pressed)
    return () => {
      window.removeEventListener('keydown', pressed)
      clearTimeout(alone)
    }
  }, [key, isOn])
}
