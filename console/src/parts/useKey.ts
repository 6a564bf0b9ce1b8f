import { useLayoutEffect } from 'react'

/** Do something when a key is pressed anywhere on the page, while `isOn`. */
export function useKey(key: string, isOn: boolean, act: () => void): void {
  // Before the browser paints: a key pressed at what is shown must not reach what was shown before.
  useLayoutEffect(() => {
    if (!isOn) return
    function pressed(event: KeyboardEvent) {
      if (event.key !== key || event.repeat) return
      event.preventDefault()
      act()
    }
    window.addEventListener('keydown', pressed)
    return () => window.removeEventListener('keydown', pressed)
  }, [key, isOn, act])
}
