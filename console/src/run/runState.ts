import type { Run } from '../api/client'

export interface Live {
  phase: string
  elapsedS: number
  remainingS: number
  values: Record<string, number>
  bounds: Record<string, string>
}

export interface NestState {
  nest: string
  serial: string
  step: string
  stepId: string
  done: number
  /** The first step that failed, with its cause; the unit cannot pass any more. */
  failed: { step: string; cause: string } | null
  live: Live | null
  /** `nest` is where the answer goes: this nest, or the whole load. */
  question: { nest: string; text: string; choices: string[] } | null
  verdict: string
  cause: string
}

export interface RunState {
  state: string
  verdict: string
  note: string
  nests: NestState[]
}

/** One event of the run's stream: its name and its data. */
export interface RunEvent {
  name: string
  // The stream's data differs by event; each case below reads what its event carries.
  data: Record<string, unknown>
}

export const EVENT_NAMES = [
  'state',
  'step_started',
  'sample',
  'question',
  'answered',
  'step_finished',
  'unit_finished',
  'finished',
] as const

/** The nest that a question names when it is asked once for the load. */
export const WHOLE_LOAD = 'all'

/** What a run looks like before its first event. */
export function stateOf(run: Run): RunState {
  return {
    state: run.state,
    verdict: run.verdict,
    note: run.note,
    nests: run.units.map((unit) => ({
      nest: unit.nest,
      serial: unit.serial,
      step: '',
      stepId: '',
      done: 0,
      failed: null,
      live: null,
      question: questionOf(run, unit.nest),
      verdict: '',
      cause: '',
    })),
  }
}

function questionOf(run: Run, nest: string): NestState['question'] {
  const asked = run.questions.find((each) => each.nest === nest || each.nest === WHOLE_LOAD)
  if (asked === undefined) return null
  return { nest: asked.nest, text: asked.question, choices: asked.choices }
}

/** The run after an event. Pure, so that the whole page can be tried without a bench. */
export function after(run: RunState, event: RunEvent): RunState {
  const { name, data } = event
  if (name === 'state') {
    const told = (data.units ?? []) as { nest: string; done: number }[]
    const done = new Map(told.map((unit) => [unit.nest, unit.done]))
    const nests = run.nests.map((nest) => ({ ...nest, done: done.get(nest.nest) ?? nest.done }))
    return { ...run, state: String(data.state), nests }
  }
  if (name === 'finished') {
    return {
      ...run,
      state: String(data.state),
      verdict: String(data.verdict),
      note: String(data.note),
    }
  }
  const nests = run.nests.map((nest) =>
    nest.nest === data.nest || data.nest === WHOLE_LOAD
      ? { ...nest, ...changeOf(nest, event) }
      : nest,
  )
  return { ...run, nests }
}

function changeOf(nest: NestState, { name, data }: RunEvent): Partial<NestState> {
  switch (name) {
    case 'step_started':
      return { step: String(data.title), stepId: String(data.step), live: null }
    case 'sample':
      return {
        live: {
          phase: String(data.phase),
          elapsedS: Number(data.elapsed_s),
          remainingS: Number(data.remaining_s),
          values: data.values as Record<string, number>,
          bounds: data.bounds as Record<string, string>,
        },
      }
    case 'question':
      return {
        question: {
          nest: String(data.nest),
          text: String(data.question),
          choices: data.choices as string[],
        },
      }
    case 'answered':
      return { question: null }
    case 'step_finished':
      return {
        done: nest.done + 1,
        live: null,
        failed:
          nest.failed ??
          (data.verdict === 'fail'
            ? { step: String(data.title), cause: String(data.cause) }
            : null),
      }
    case 'unit_finished':
      return { verdict: String(data.verdict), cause: String(data.cause), step: '' }
    default:
      return {}
  }
}
