import { useQuery } from '@tanstack/react-query'
import { api, type Schemas } from '../api/client'

/** A device by its number or serial; null where nobody has described it. */
export function useAsset(text: string, isOn: boolean) {
  return useQuery({
    queryKey: ['asset', text],
    enabled: isOn && text !== '',
    retry: false,
    queryFn: async (): Promise<Schemas['AssetOut'] | null> => {
      const params = { path: { number: text } }
      const { data, error, response } = await api.GET('/api/v1/assets/{number}', { params })
      if (response.status === 404) return null
      if (data === undefined) throw new Error((error as { detail?: string })?.detail ?? 'no answer')
      return data
    },
  })
}
