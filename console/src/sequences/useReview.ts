import { useQuery } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { api, ask, Refused, type Schemas } from '../api/client'
import type { Finding } from '../forms/SchemaForm'
import type { SequenceDocument } from './document'

const PAUSE_MS = 500

export interface Review {
  data: Schemas['ReviewOut'] | undefined
  /** What stands in the way of a review: faults of the document itself, by path. */
  refused: Finding[]
  trouble: string
  isStale: boolean
  /** The gravest finding of each step. */
  marks: Record<string, string>
}

/** The review of what is being written, asked for whenever the typing pauses. */
export function useReview(document: SequenceDocument): Review {
  const text = JSON.stringify(document)
  const [asked, setAsked] = useState(text)
  useEffect(() => {
    const timer = setTimeout(() => setAsked(text), PAUSE_MS)
    return () => clearTimeout(timer)
  }, [text])
  const found = useQuery({
    queryKey: ['review', asked],
    queryFn: () => ask(api.POST('/api/v1/sequences/review', { body: JSON.parse(asked) })),
    enabled: document.steps.length > 0,
    placeholderData: (before) => before,
    retry: false,
  })
  const error = found.error
  const refused = error instanceof Refused ? (error.problem?.errors ?? []) : []
  const marks: Record<string, string> = {}
  for (const each of found.data?.findings ?? []) marks[each.step] ??= each.severity
  return {
    data: error === null ? found.data : undefined,
    refused,
    trouble: error === null ? '' : error.message,
    isStale: asked !== text || found.isFetching,
    marks,
  }
}
