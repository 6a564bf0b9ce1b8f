import { Text } from '@chakra-ui/react'
import type { Schemas } from '../api/client'
import { useMoment } from '../parts/useMoment'

/** That there is a verdict and no reading is no mistake: they were kept long enough, and went. */
export function LetGo({ unit }: { unit: Schemas['UnitOut'] }) {
  const moment = useMoment()
  if (!unit.let_go_at) return null
  return (
    <Text fontWeight="bold" my="2">
      Its readings and curves were let go {moment(unit.let_go_at)} by {unit.let_go_by}: the time for
      which they are kept was over.
    </Text>
  )
}
