import { useEffect, useState } from 'react'
import { EVENT_NAMES, type RunEvent } from './runState'

/**
 * Follow the events of a run, or of a rehearsal, while it is on. `onEvent` must keep its identity.
 * Gives whether the connection is cut off; it comes back by itself.
 */
export function useRunEvents(
  path: string,
  isOn: boolean,
  onEvent: (event: RunEvent) => void,
): boolean {
  const [isStale, setStale] = useState(false)
  useEffect(() => {
    if (!isOn) return
    const source = new EventSource(path)
    source.onopen = () => setStale(false)
    source.onerror = () => setStale(true)
    for (const name of EVENT_NAMES) {
      source.addEventListener(name, (message: MessageEvent<string>) => {
        if (name === 'finished') source.close()
        onEvent({ name, data: JSON.parse(message.data) } as RunEvent)
      })
    }
    return () => source.close()
  }, [path, isOn, onEvent])
  return isStale
}
