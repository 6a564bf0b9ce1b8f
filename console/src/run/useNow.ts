import { useEffect, useState } from 'react'

/** The time in ms since 1970, kept up to date while it is asked for. */
export function useNow(isOn: boolean, eachMs = 200): number {
  const [now, setNow] = useState(Date.now())
  useEffect(() => {
    if (!isOn) return
    setNow(Date.now())
    const timer = setInterval(() => setNow(Date.now()), eachMs)
    return () => clearInterval(timer)
  }, [isOn, eachMs])
  return now
}
