import { useEffect, useState } from 'react'
import { useNow } from './useNow'

/** Do something once so many seconds are over; whoever touches key or pointer calls it off. */
export function useLeft(seconds: number, onOver: () => void): number {
  const [since, setSince] = useState<number | null>(null)
  const [isKept, setKept] = useState(false)
  const isOn = seconds > 0 && !isKept
  const now = useNow(isOn)
  useEffect(() => {
    if (!isOn) return setSince(null)
    setSince(Date.now())
    const keep = () => setKept(true)
    window.addEventListener('keydown', keep)
    window.addEventListener('pointerdown', keep)
    return () => {
      window.removeEventListener('keydown', keep)
      window.removeEventListener('pointerdown', keep)
    }
  }, [isOn])
  const left = isOn && since !== null ? Math.ceil(seconds - (now - since) / 1000) : 0
  const isOver = isOn && since !== null && now - since >= seconds * 1000
  useEffect(() => {
    if (isOver) onOver()
  }, [isOver, onOver])
  return Math.max(0, left)
}
