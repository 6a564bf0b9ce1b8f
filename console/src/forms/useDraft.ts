import { useCallback, useState } from 'react'
import type { Value } from './schema'

interface Draft {
  basedOn: number
  document: Value
}

/** What is being edited, kept in this browser until it is stored or thrown away. */
export function useDraft(key: string, stored: Value, revision: number) {
  const place = `loricate draft ${key}`
  const [draft, setDraft] = useState<Draft | undefined>(() => {
    const kept = localStorage.getItem(place)
    return kept === null ? undefined : (JSON.parse(kept) as Draft)
  })
  const change = useCallback(
    (document: Value) => {
      setDraft((before) => {
        const next = { basedOn: before?.basedOn ?? revision, document }
        localStorage.setItem(place, JSON.stringify(next))
        return next
      })
    },
    [place, revision],
  )
  const drop = useCallback(() => {
    localStorage.removeItem(place)
    setDraft(undefined)
  }, [place])
  return {
    document: draft?.document ?? stored,
    basedOn: draft?.basedOn ?? revision,
    isChanged: draft !== undefined,
    change,
    drop,
  }
}
