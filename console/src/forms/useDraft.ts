import { useCallback, useState } from 'react'
import type { Value } from './schema'

const MOST_TURNS = 100

interface Draft<Base> {
  basedOn: Base
  document: Value
}

const placeOf = (key: string) => `loricate draft ${key}`

/** Whether changes of a document are kept in this browser. */
export function hasDraft(key: string): boolean {
  return localStorage.getItem(placeOf(key)) !== null
}

/** Keep a document as if it had been typed: its page shows it as changes of what is stored. */
export function keepDraft(key: string, document: Value, basedOn: string): void {
  localStorage.setItem(placeOf(key), JSON.stringify({ basedOn, document }))
}

/**
 * What is being edited, kept in this browser until it is stored or thrown away; each change can be
 * undone. `base` names what it is based on, so that nobody's work is stored over.
 */
export function useDraft<Base extends string | number>(key: string, stored: Value, base: Base) {
  const place = placeOf(key)
  const [draft, setDraft] = useState<Draft<Base> | undefined>(() => {
    const kept = localStorage.getItem(place)
    return kept === null ? undefined : (JSON.parse(kept) as Draft<Base>)
  })
  const [past, setPast] = useState<Value[]>([])
  const [turn, setTurn] = useState(0)
  const document = draft?.document ?? stored
  const basedOn = draft?.basedOn ?? base

  const keep = useCallback(
    (next: Value) => {
      const kept = { basedOn, document: next }
      localStorage.setItem(place, JSON.stringify(kept))
      setDraft(kept)
    },
    [place, basedOn],
  )
  const drop = useCallback(() => {
    localStorage.removeItem(place)
    setDraft(undefined)
    setPast([])
    setTurn((before) => before + 1)
  }, [place])
  const change = useCallback(
    (next: Value) => {
      setPast((before) => [...before.slice(-MOST_TURNS), document])
      keep(next)
    },
    [document, keep],
  )
  const undo = useCallback(() => {
    const before = past.at(-1)
    if (before === undefined) return
    setPast(past.slice(0, -1))
    setTurn((number) => number + 1)
    keep(before)
  }, [past, keep])
  return {
    document,
    basedOn,
    isChanged: draft !== undefined && JSON.stringify(draft.document) !== JSON.stringify(stored),
    change,
    drop,
    undo,
    canUndo: past.length > 0,
    /** Goes up whenever the document changes from outside a field, so that fields start afresh. */
    turn,
  }
}
