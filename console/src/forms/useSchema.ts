import { useQuery } from '@tanstack/react-query'
import { api, ask } from '../api/client'
import type { Schema } from './schema'

/** The JSON Schema of a sort of document; it does not change while the service runs. */
export function useSchema(name: 'sequence' | 'product' | 'limit-set') {
  return useQuery({
    queryKey: ['schema', name],
    queryFn: async () =>
      (await ask(api.GET('/api/v1/schemas/{name}', { params: { path: { name } } }))) as Schema,
    staleTime: Number.POSITIVE_INFINITY,
  })
}
