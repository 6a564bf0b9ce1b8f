import type { Run, Schemas } from '../api/client'
import { type Question, WHOLE_LOAD } from '../asking/question'

export interface Live {
  phase: string
  elapsedS: number
  remainingS: number
  /** What is sampled, in SI units. */
  values: Record<string, number>
  /** What is shown of it, by quantity, as the step's kind has it. */
  meters: Record<string, string>
  /** What a level is held for, where that is more than a time. */
  waiting: string
}

/** A look at the output of the step under way, for its curve. */
export interface Look {
  elapsedS: number
  phase: string
  values: Record<string, number>
}

/** A reading that a long step has kept on its way. */
export interface Kept {
  point: string
  atS: number
  quantity: string
  text: string
}

/** A step's time on the timeline, in ms since 1970; `end` is null while it is under way. */
export interface Span {
  step: string
  title: string
  begin: number
  end: number | null
  verdict: string
}

export interface NestState {
  nest: string
  serial: string
  step: string
  stepId: string
  done: number
  /** The first step that failed, with its cause; the unit cannot pass as it is. */
  failed: { step: string; cause: string } | null
  live: Live | null
  /** Which repetition of its step is under way, and of how many; null where it is done once. */
  repetition: { number: number; times: number } | null
  /** Which point of its step is measured, where it has several. */
  at: { point: string; number: number; of: number } | null
  /** An instruction in passing, until its step is over. */
  cue: { text: string; picture: string; isRefusal: boolean } | null
  /** What its output has shown since its step began, thinned. */
  course: Look[]
  kept: Kept[]
  spans: Span[]
  verdict: string
  cause: string
}

export interface RunState {
  state: string
  verdict: string
  note: string
  /** Volts that are left at a unit after the outputs fell; null when it is safe. */
  residualV: number | null
  /** When its first step begins, in ms since 1970, where its line has it wait; else null. */
  beginsAt: number | null
  questions: Question[]
  nests: NestState[]
}

type Events = Schemas['RunEvents']

/** One event of the run's stream: its name, and the data that goes with that name. */
export type RunEvent = { [Name in keyof Events]: { name: Name; data: Events[Name] } }[keyof Events]

export const EVENT_NAMES: readonly (keyof Events)[] = [
  'state',
  'delayed',
  'step_started',
  'sample',
  'kept',
  'point',
  'repetition',
  'cue',
  'question',
  'answered',
  'step_finished',
  'discharging',
  'unit_finished',
  'finished',
]

const LONG_S = 10
const HOLD_MS = 400
/** From its third minute on an output changes slowly: a picture every two seconds is enough. */
const SLOW_S = 120
const SLOW_HOLD_MS = 1400

/** How long an event may wait for those that follow, in ms: a look at an output that lasts. */
export function holdMs({ name, data }: RunEvent): number {
  if (name !== 'sample' || data.elapsed_s < LONG_S || 'breaks' in data.values) return 0
  return data.elapsed_s < SLOW_S ? HOLD_MS : SLOW_HOLD_MS
}

/** The events that tell of one nest. */
type NestEvent = Exclude<
  RunEvent,
  { name: 'state' | 'delayed' | 'question' | 'answered' | 'discharging' | 'finished' }
>

/** What a run looks like before its first event. */
export function stateOf(run: Run): RunState {
  return {
    state: run.state,
    verdict: run.verdict,
    note: run.note,
    residualV: null,
    beginsAt: null,
    questions: run.questions,
    nests: run.units.map((unit) => ({
      nest: unit.nest,
      serial: unit.serial,
      step: '',
      stepId: '',
      done: new Set(stepsDone(unit)).size,
      failed: null,
      live: null,
      repetition: null,
      at: null,
      cue: null,
      course: [],
      kept: [],
      spans: spansOf(unit.attempts),
      ...settled(run, unit),
    })),
  }
}

/** What one nest looks like before the first event of a rehearsal. */
export function rehearsalState(nest: string): RunState {
  const fresh: NestState = {
    nest,
    serial: 'rehearsal',
    step: '',
    stepId: '',
    done: 0,
    failed: null,
    live: null,
    repetition: null,
    at: null,
    cue: null,
    course: [],
    kept: [],
    spans: [],
    verdict: '',
    cause: '',
  }
  return {
    state: 'ready',
    verdict: '',
    note: '',
    residualV: null,
    beginsAt: null,
    questions: [],
    nests: [fresh],
  }
}

function stepsDone(unit: Run['units'][number]): string[] {
  const ids = unit.attempts.map((attempt) => attempt.step_id)
  return ids.filter((id) => !unit.due.includes(id))
}

/** The states of a run that has come to an end. */
export const OVER = ['finished', 'aborted', 'interrupted']

/**
 * In a repeat, whoever is not repeated keeps its verdict; before a first run nobody has one, after
 * it everybody.
 */
function settled(run: Run, unit: Run['units'][number]): { verdict: string; cause: string } {
  const isRepeat = run.units.some((each) => each.due.length > 0)
  return OVER.includes(run.state) || (isRepeat && unit.due.length === 0)
    ? { verdict: unit.verdict, cause: unit.cause }
    : { verdict: '', cause: '' }
}

/** How many breaks of watched contacts the meters of all nests have counted by now. */
export function breaksSeen(state: RunState): number {
  return state.nests.reduce((sum, each) => sum + breaksOf(each.live), 0)
}

/** How many breaks a watch has counted by now; none where nothing is watched. */
export function breaksOf(live: Live | null): number {
  return live !== null && 'breaks' in live.meters ? (live.values.breaks ?? 0) : 0
}

/** Causes of attempts that only say why a step was not tried. */
export const NOT_TRIED = ['unit_halted', 'skipped', 'condition_not_met']

/** The timeline of attempts that are recorded; what was skipped took no time. */
export function spansOf(attempts: Run['units'][number]['attempts']): Span[] {
  return attempts
    .filter((attempt) => !NOT_TRIED.includes(attempt.cause))
    .map((attempt) => ({
      step: attempt.step_id,
      title: attempt.title,
      begin: Date.parse(attempt.started_at),
      end: Date.parse(attempt.ended_at),
      verdict: attempt.verdict,
    }))
}

/** Whether a nest waits for an answer, its own or the whole load's. */
export function isAsked(run: RunState, nest: string): boolean {
  return run.questions.some((each) => each.nest === nest || each.nest === WHOLE_LOAD)
}

/** The run after an event. Pure, so that the whole page can be tried without a bench. */
export function after(run: RunState, event: RunEvent): RunState {
  const { name, data } = event
  switch (name) {
    case 'state': {
      const done = new Map(data.units.map((unit) => [unit.nest, unit.done]))
      const nests = run.nests.map((nest) => ({ ...nest, done: done.get(nest.nest) ?? nest.done }))
      return { ...run, state: data.state, nests }
    }
    case 'question': {
      const others = run.questions.filter((each) => each.number !== data.number)
      return { ...run, questions: [...others, data] }
    }
    case 'answered': {
      // What was refused has been answered by now; what is wrong still is refused anew.
      const nests = run.nests.map((nest) =>
        nest.nest === data.nest && nest.cue?.isRefusal ? { ...nest, cue: null } : nest,
      )
      return {
        ...run,
        nests,
        questions: run.questions.filter((each) => each.number !== data.number),
      }
    }
    case 'delayed':
      return { ...run, beginsAt: Date.parse(data.at) + data.for_s * 1000 }
    case 'discharging':
      return { ...run, residualV: data.voltage }
    case 'finished':
      return {
        ...run,
        state: data.state,
        verdict: data.verdict,
        note: data.note,
        residualV: null,
        beginsAt: null,
        questions: [],
      }
    default: {
      const nests = run.nests.map((nest) =>
        nest.nest === data.nest ? { ...nest, ...changeOf(nest, event) } : nest,
      )
      return name === 'step_started' ? { ...run, nests, beginsAt: null } : { ...run, nests }
    }
  }
}

const MOST_LOOKS = 300

/** The looks of a step, half as close together whenever there are too many; the newest stays. */
function thinned(course: Look[]): Look[] {
  if (course.length <= MOST_LOOKS) return course
  return course.filter((_, place) => place % 2 === 0 || place === course.length - 1)
}

/** What an event of one nest changes of it. */
function changeOf(nest: NestState, { name, data }: NestEvent): Partial<NestState> {
  switch (name) {
    case 'step_started':
      return {
        step: data.title,
        stepId: data.step,
        live: null,
        repetition: null,
        at: null,
        course: [],
        kept: [],
        spans: [
          ...nest.spans,
          {
            step: data.step,
            title: data.title,
            begin: Date.parse(data.at),
            end: null,
            verdict: '',
          },
        ],
      }
    case 'sample':
      return {
        live: {
          phase: data.phase,
          elapsedS: data.elapsed_s,
          remainingS: data.remaining_s,
          values: data.values,
          meters: data.meters,
          waiting: data.waiting,
        },
        course:
          data.phase === 'discharging' || data.phase === 'resting'
            ? nest.course
            : thinned([
                ...nest.course,
                { elapsedS: data.elapsed_s, phase: data.phase, values: data.values },
              ]),
      }
    case 'kept':
      return {
        kept: [
          ...nest.kept,
          { point: data.point, atS: data.at_s, quantity: data.quantity, text: data.text },
        ],
      }
    case 'point':
      return {
        at: { point: data.point, number: data.number, of: data.of },
      }
    case 'repetition':
      return { repetition: { number: data.number, times: data.times } }
    case 'cue':
      return {
        cue: { text: data.text, picture: data.picture, isRefusal: data.moment === 'refused' },
      }
    case 'step_finished':
      return {
        done: nest.done + 1,
        step: '',
        stepId: '',
        live: null,
        at: null,
        cue: null,
        spans: nest.spans.map((span) =>
          span.end === null && span.step === data.step
            ? { ...span, end: Date.parse(data.at), verdict: data.verdict }
            : span,
        ),
        failed:
          nest.failed ?? (data.verdict === 'fail' ? { step: data.title, cause: data.cause } : null),
      }
    case 'unit_finished':
      return { verdict: data.verdict, cause: data.cause, step: '' }
  }
}
