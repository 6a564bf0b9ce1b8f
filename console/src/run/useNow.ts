import { useEffect, useState } from 'react'

const EACH_MS = 200

/** The time in ms since 1970, kept up to date while it is asked for. */
export function useNow(isOn: boolean): number {
  const [now, setNow] = useState(Date.now())
  useEffect(() => {
    if (!isOn) return
    setNow(Date.now())
    const timer = setInterval(() => setNow(Date.now()), EACH_MS)
    return () => clearInterval(timer)
  }, [isOn])
  return now
}
