import { useEffect, useState } from 'react'
import type { Schemas } from '../api/client'

export type Danger = Schemas['DangerOut']

/** The service tells the danger once a second; after this long without a word nobody knows it. */
const SILENT_MS = 3_000

const SILENT: Danger = {
  state: 'unknown',
  nests: [],
  volts: null,
  wait_s: null,
  reasons: ['The service is silent. Do not touch the fixture.'],
  must_earth: false,
}

/** Volts to two digits: what they mean for a hand does not flicker with a meter's last ones. */
function roughly(danger: Danger): Danger {
  const { volts } = danger
  return volts === null ? danger : { ...danger, volts: Number(volts.toPrecision(2)) }
}

/** How dangerous the fixture is, from the bench itself; `null` until the first word of it. */
export function useDanger(): Danger | null {
  const [danger, setDanger] = useState<Danger | null>(null)
  useEffect(() => {
    let silence: ReturnType<typeof setTimeout> | undefined
    const wait = () => {
      clearTimeout(silence)
      silence = setTimeout(() => setDanger(SILENT), SILENT_MS)
    }
    const source = new EventSource('/api/v1/bench/danger/events')
    source.addEventListener('danger', (message: MessageEvent<string>) => {
      wait()
      setDanger((known) => {
        const told = roughly(JSON.parse(message.data) as Danger)
        return JSON.stringify(known) === JSON.stringify(told) ? known : told
      })
    })
    wait()
    return () => {
      clearTimeout(silence)
      source.close()
    }
  }, [])
  return danger
}
