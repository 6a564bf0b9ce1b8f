import createClient, { type Middleware } from 'openapi-fetch'
import type { components, paths } from './schema'

export type Schemas = components['schemas']
export type Me = Schemas['Me']
export type Problem = Schemas['ProblemDocument']
export type Run = Schemas['RunOut']
export type Unit = Schemas['UnitOut']
export type Reading = Schemas['ReadingOut']
export type Attempt = Schemas['AttemptOut']
export type Verdict = 'pass' | 'fail' | 'inconclusive' | 'not_run'

let csrf = ''

/** Keep the secret that every write of this browser session must carry. */
export function setCsrf(secret: string): void {
  csrf = secret
}

const withCsrf: Middleware = {
  onRequest({ request }) {
    if (csrf) request.headers.set('X-Loricate-CSRF', csrf)
    return request
  },
}

let touched = Date.now()
for (const sign of ['pointerdown', 'keydown', 'wheel'] as const) {
  globalThis.addEventListener?.(
    sign,
    () => {
      touched = Date.now()
    },
    { passive: true },
  )
}

/** Pages ask by themselves all the time; a session is used only while somebody is there. */
const withIdle: Middleware = {
  onRequest({ request }) {
    request.headers.set('X-Loricate-Idle', String(Math.floor((Date.now() - touched) / 1000)))
    return request
  },
}

const SIGNED_OUT = 'loricate-signed-out'
const signals = new EventTarget()

/** Have something done when the service says that the sign-in has ended; gives how to stop that. */
export function onSignedOut(act: () => void): () => void {
  signals.addEventListener(SIGNED_OUT, act)
  return () => signals.removeEventListener(SIGNED_OUT, act)
}

const withEnd: Middleware = {
  onResponse({ request, response }) {
    if (response.status === 401 && !request.url.endsWith('/sign-in')) {
      signals.dispatchEvent(new Event(SIGNED_OUT))
    }
  },
}

export const api = createClient<paths>({
  baseUrl: '',
  fetch: (request: Request) => globalThis.fetch(request),
})
api.use(withCsrf, withIdle, withEnd)

/** What the service refused, as its problem document tells it. */
export class Refused extends Error {
  readonly problem: Problem | undefined
  readonly status: number

  constructor(problem: Problem | undefined, status: number) {
    super(problem?.detail ?? `The service answered ${status}; try again.`)
    this.problem = problem
    this.status = status
  }
}

interface Answer<T> {
  data?: T
  error?: unknown
  response: Response
}

/** Give an answer's data, or throw what was refused in words for people. */
export async function ask<T>(answer: Promise<Answer<T>>): Promise<T> {
  let got: Answer<T>
  try {
    got = await answer
  } catch {
    throw new Error('The service does not answer. Nothing was lost; check that it runs, try again.')
  }
  if (!got.response.ok) {
    const problem = got.error as Problem | undefined
    throw new Refused(problem?.detail ? problem : undefined, got.response.status)
  }
  return got.data as T
}

/** Give every row of a list, page after page (RFC 8288). */
export async function askAll<T>(answer: Promise<Answer<T[]>>): Promise<T[]> {
  let response: Response | undefined
  const rows = await ask(
    answer.then((got) => {
      response = got.response
      return got
    }),
  )
  let next = nextOf(response)
  while (next) {
    const got = await globalThis.fetch(next)
    const body = (await got.json()) as unknown
    rows.push(...(await ask(Promise.resolve({ data: body as T[], error: body, response: got }))))
    next = nextOf(got)
  }
  return rows
}

function nextOf(response: Response | undefined): string | undefined {
  return /<([^>]+)>; rel="next"/.exec(response?.headers.get('link') ?? '')?.[1]
}
