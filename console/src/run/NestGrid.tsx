import { Grid } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { api, ask } from '../api/client'

/** The nests as the fixture lays them out, as many side by side. */
export function NestGrid({ fixture, children }: { fixture: string; children: ReactNode }) {
  const bench = useQuery({ queryKey: ['bench'], queryFn: () => ask(api.GET('/api/v1/bench')) })
  const perRow = bench.data?.fixtures.find((each) => each.code === fixture)?.per_row ?? 4
  return (
    <Grid
      gap="4"
      templateColumns={{
        base: 'repeat(auto-fill, minmax(14rem, 1fr))',
        lg: `repeat(${perRow}, minmax(0, 1fr))`,
      }}
    >
      {children}
    </Grid>
  )
}
