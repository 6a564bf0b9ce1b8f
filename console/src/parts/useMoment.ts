import { useQuery } from '@tanstack/react-query'
import { useCallback } from 'react'
import { api, ask } from '../api/client'
import { momentText } from './moment'

/** The zone of the site; UTC until it is known. */
export function useZone(): string {
  const site = useQuery({ queryKey: ['site'], queryFn: () => ask(api.GET('/api/v1/site')) })
  return site.data?.zone ?? 'UTC'
}

/** Tells a moment in the site's zone, with its offset. */
export function useMoment(): (at: string) => string {
  const zone = useZone()
  return useCallback((at: string) => momentText(at, zone), [zone])
}
