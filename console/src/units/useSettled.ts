import { useEffect, useState } from 'react'

const SETTLED_MS = 250

/** A value once it has stayed as it is for a moment: what is being typed is not asked yet. */
export function useSettled<T>(value: T): T {
  const [settled, setSettled] = useState(value)
  const told = JSON.stringify(value)
  // biome-ignore lint/correctness/useExhaustiveDependencies: what is the same by its text is.
  useEffect(() => {
    const timer = setTimeout(() => setSettled(value), SETTLED_MS)
    return () => clearTimeout(timer)
  }, [told])
  return settled
}
