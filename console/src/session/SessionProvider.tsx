import { useQueryClient } from '@tanstack/react-query'
import { createContext, type ReactNode, useContext, useEffect, useMemo, useState } from 'react'
import { api, ask, type Me, onSignedOut, setCsrf } from '../api/client'

/** `hasEnded`: the service has ended the sign-in, and the page stays as it is until the next. */
type State = { at: 'pending' } | { at: 'out' } | { at: 'in'; me: Me; hasEnded?: boolean }

interface Session {
  state: State
  signIn: (name: string, password: string, code: string) => Promise<void>
  signOut: () => Promise<void>
  /** Ask again who is signed in, after something about it changed. */
  refresh: () => Promise<void>
}

const SessionContext = createContext<Session | null>(null)

export function SessionProvider({ children }: { children: ReactNode }) {
  const queries = useQueryClient()
  const [state, setState] = useState<State>({ at: 'pending' })

  useEffect(() => {
    ask(api.GET('/api/v1/me'))
      .then((me) => {
        setCsrf(me.csrf ?? '')
        setState({ at: 'in', me })
      })
      .catch(() => setState({ at: 'out' }))
  }, [])

  useEffect(
    () =>
      onSignedOut(() => setState((now) => (now.at === 'in' ? { ...now, hasEnded: true } : now))),
    [],
  )

  const session = useMemo<Session>(
    () => ({
      state,
      async signIn(name, password, code) {
        const body = { name, password, code, keep: 'cookie' as const }
        const me = await ask(api.POST('/api/v1/sign-in', { body }))
        setCsrf(me.csrf ?? '')
        // What one person was shown is not the next one's.
        if (state.at === 'in' && state.me.name === me.name) await queries.invalidateQueries()
        else queries.clear()
        setState({ at: 'in', me })
      },
      async signOut() {
        // A session that has ended elsewhere is out as well.
        await ask(api.POST('/api/v1/sign-out')).catch(() => undefined)
        setCsrf('')
        setState({ at: 'out' })
      },
      async refresh() {
        setState({ at: 'in', me: await ask(api.GET('/api/v1/me')) })
      },
    }),
    [state, queries],
  )
  return <SessionContext.Provider value={session}>{children}</SessionContext.Provider>
}

export function useSession(): Session {
  const session = useContext(SessionContext)
  if (session === null) throw new Error('useSession needs a <SessionProvider> above it')
  return session
}

interface May {
  run: boolean
  define: boolean
  audit: boolean
  quality: boolean
  sum_up: boolean
  people: boolean
}

/** Whether whoever is signed in may run tests, define them, see what was done, look after people. */
export function useMay(): May {
  const { state } = useSession()
  const may = state.at === 'in' ? (state.me.may ?? []) : []
  return {
    run: may.includes('run'),
    define: may.includes('define'),
    audit: may.includes('audit'),
    quality: may.includes('quality'),
    sum_up: may.includes('sum_up'),
    people: may.includes('people'),
  }
}
