import { useEffect, useState } from 'react'
import { EVENT_NAMES, holdMs, type RunEvent } from './runState'

/**
 * Follow the events of a run, or of a rehearsal, while it is on. `onEvents` must keep its identity.
 * What a long output shows is told together with what comes a moment later, or with the next event
 * of another sort: a page that draws ten minutes anew ten times a second keeps a processor busy.
 * Gives whether the connection is cut off; it comes back by itself.
 */
export function useRunEvents(
  path: string,
  isOn: boolean,
  onEvents: (events: RunEvent[]) => void,
): boolean {
  const [isStale, setStale] = useState(false)
  useEffect(() => {
    if (!isOn) return
    const source = new EventSource(path)
    let held: RunEvent[] = []
    let timer: ReturnType<typeof setTimeout> | undefined
    const tell = () => {
      clearTimeout(timer)
      timer = undefined
      const events = held
      held = []
      if (events.length > 0) onEvents(events)
    }
    source.onopen = () => setStale(false)
    source.onerror = () => setStale(true)
    for (const name of EVENT_NAMES) {
      source.addEventListener(name, (message: MessageEvent<string>) => {
        if (name === 'finished') source.close()
        const event = { name, data: JSON.parse(message.data) } as RunEvent
        held.push(event)
        const wait = holdMs(event)
        if (wait === 0) tell()
        else timer ??= setTimeout(tell, wait)
      })
    }
    return () => {
      clearTimeout(timer)
      source.close()
    }
  }, [path, isOn, onEvents])
  return isStale
}
