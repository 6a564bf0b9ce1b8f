import { useNow } from './useNow'

/** Whether something that ended has been shown for as long as it stays; never where that is 0 s. */
export function useIsGone(endedAt: string | null, staysS: number): boolean {
  const isTimed = endedAt !== null && staysS > 0
  const now = useNow(isTimed)
  return isTimed && now - Date.parse(endedAt) > staysS * 1000
}
