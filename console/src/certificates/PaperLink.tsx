import { Text } from '@chakra-ui/react'
import { LINK } from '../parts/link'

interface Props {
  number: string
  paper: string
  words?: string
  /** The bench whose ledger it is in, where that was carried in. */
  of?: string
}

/** What an address needs for a document of another bench's ledger. */
export function ofBench(of: string | undefined): string {
  return of ? `?of=${encodeURIComponent(of)}` : ''
}

/** The way to a document's paper, or how far it has come. */
export function PaperLink({ number, paper, words = number, of = '' }: Props) {
  if (paper === 'made') {
    return (
      <a href={`/api/v1/certificates/${number}/pdf${ofBench(of)}`} style={LINK}>
        {words}
      </a>
    )
  }
  const told = paper === 'held_up' ? 'cannot be made yet; see the outbox' : 'is being made'
  return (
    <Text as="span">
      {words}
      {paper !== 'none' && (
        <Text as="span" color="soft" role="status">
          {' '}
          (paper {told})
        </Text>
      )}
    </Text>
  )
}
