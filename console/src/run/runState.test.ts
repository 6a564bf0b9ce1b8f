import { expect, test } from 'vitest'
import type { Run } from '../api/client'
import {
  after,
  breaksSeen,
  holdMs,
  isAsked,
  type RunEvent,
  rehearsalState,
  stateOf,
} from './runState'

const run = {
  state: 'armed',
  verdict: 'not_run',
  note: '',
  questions: [],
  units: [
    { nest: '1', serial: 'A', attempts: [], due: [], verdict: 'pass', cause: '' },
    { nest: '2', serial: 'B', attempts: [], due: [], verdict: 'fail', cause: 'open' },
  ],
} as unknown as Run
const AT = '2026-11-25T08:00:00.000Z'

type Data<Name> = Extract<RunEvent, { name: Name }>['data']

/** An event with as much of its data as the case is about. */
function event<Name extends RunEvent['name']>(
  name: Name,
  data: { [Key in keyof Data<Name>]?: unknown },
): RunEvent {
  return { name, data: { units: [], at: AT, ...data } } as unknown as RunEvent
}

const events: RunEvent[] = [
  event('state', { state: 'running' }),
  event('question', { number: 1, nest: '2', question: 'Case closed?' }),
  event('step_started', { nest: '1', step: 'hv', title: 'Withstand', at: AT }),
  event('sample', {
    nest: '1',
    phase: 'dwell',
    elapsed_s: 1,
    remaining_s: 2,
    values: { voltage: 1000 },
    bounds: {},
  }),
]

test('a sample changes its own nest and no other', () => {
  const state = events.reduce(after, stateOf(run))
  expect(state.state).toBe('running')
  expect(state.nests[0]?.live?.values.voltage).toBe(1000)
  expect(state.nests[1]?.live).toBeNull()
})

test('a question waits at its nest until that very question is answered', () => {
  const asked = events.reduce(after, stateOf(run))
  expect([isAsked(asked, '1'), isAsked(asked, '2')]).toEqual([false, true])
  const other = after(asked, event('answered', { number: 7, nest: '2' }))
  expect(isAsked(other, '2')).toBe(true)
  const answered = after(asked, event('answered', { number: 1, nest: '2' }))
  expect(isAsked(answered, '2')).toBe(false)
})

test('a run that is over when it is first seen shows how each unit came out', () => {
  const over = stateOf({ ...run, state: 'finished' })
  expect(over.nests.map((nest) => [nest.verdict, nest.cause])).toEqual([
    ['pass', ''],
    ['fail', 'open'],
  ])
})

test('a resumed run starts from the steps that were done', () => {
  const data = { state: 'running', units: [{ nest: '2', serial: 'B', done: 3 }] }
  const state = after(stateOf(run), event('state', data))
  expect(state.nests.map((nest) => nest.done)).toEqual([0, 3])
})

test('a question that the record knows of is told once, even when its event comes after', () => {
  const question = { number: 1, nest: '2', question: 'Case closed?', choices: ['pass'] }
  const state = stateOf({ ...run, questions: [question] } as unknown as Run)
  expect(isAsked(state, '2')).toBe(true)
  expect(after(state, event('question', question)).questions).toHaveLength(1)
})

test('a question for the whole load waits at every nest', () => {
  const data = { number: 1, nest: 'all', question: 'Oven warm?', choices: ['pass'] }
  const state = after(stateOf(run), event('question', data))
  expect(state.nests.map((nest) => isAsked(state, nest.nest))).toEqual([true, true])
})

test('in a repeat the units that are not repeated keep their verdict', () => {
  const [first, second] = run.units
  const repeated = { ...run, units: [first, { ...second, due: ['earth'] }] } as unknown as Run
  expect(stateOf(repeated).nests.map((nest) => nest.verdict)).toEqual(['pass', ''])
  expect(stateOf(run).nests.map((nest) => nest.verdict)).toEqual(['', ''])
})

test('a cue in passing stays until its step is over', () => {
  const data = { nest: '1', step: 'hv', text: 'Hold the clip', picture: '' }
  const told = after(stateOf(run), event('cue', data))
  expect(told.nests.map((nest) => nest.cue?.text)).toEqual(['Hold the clip', undefined])
  const done = after(told, event('step_finished', { nest: '1', step: 'hv' }))
  expect(done.nests[0]?.cue).toBeNull()
})

test('a contact that was not asked for is a refusal, and the next word is none', () => {
  const data = { nest: '1', step: 'touch', text: 'X2:5 is touched.', picture: '' }
  const refused = after(stateOf(run), event('cue', { ...data, moment: 'refused' }))
  expect(refused.nests[0]?.cue?.isRefusal).toBe(true)
  const right = after(refused, event('cue', { ...data, moment: 'told' }))
  expect(right.nests[0]?.cue?.isRefusal).toBe(false)
})

test('what was refused goes with the answer to it, and what was told stays', () => {
  const data = { nest: '1', step: 'clips', text: 'P1 to P4 reads > 100 MΩ.', picture: '' }
  const answered = event('answered', { number: 3, nest: '1', choice: 'done', note: '' })
  const refused = after(stateOf(run), event('cue', { ...data, moment: 'refused' }))
  expect(after(refused, answered).nests[0]?.cue).toBeNull()
  const told = after(stateOf(run), event('cue', { ...data, moment: 'told' }))
  expect(after(told, answered).nests[0]?.cue?.text).toBe(data.text)
})

test('breaks are counted while nets are watched, and nothing else is one', () => {
  const seen = (values: object, meters: object) =>
    breaksSeen(
      after(
        stateOf(run),
        event('sample', { nest: '1', phase: 'dwell', elapsed_s: 1, values, meters, bounds: {} }),
      ),
    )
  expect(seen({ breaks: 3 }, { breaks: '3' })).toBe(3)
  expect(seen({ breaks: 3 }, { resistance: '1 Ω' })).toBe(0)
  expect(breaksSeen(stateOf(run))).toBe(0)
})

test('a step draws its bar from its start to its end', () => {
  const began = events.reduce(after, stateOf(run))
  expect(began.nests[0]?.spans).toMatchObject([{ step: 'hv', begin: Date.parse(AT), end: null }])
  const at = '2026-11-25T08:00:02.500Z'
  const data = { nest: '1', step: 'hv', verdict: 'fail', at }
  const span = after(began, event('step_finished', data)).nests[0]?.spans[0]
  expect(span).toMatchObject({ end: Date.parse(at), verdict: 'fail' })
})

test('what is left at a unit is told until the run is over', () => {
  const left = after(stateOf(run), event('discharging', { voltage: 412 }))
  expect(left.residualV).toBe(412)
  const data = { state: 'aborted', verdict: 'inconclusive', note: '' }
  expect(after(left, event('finished', data)).residualV).toBeNull()
})

test('a finished step counts and takes its live values away', () => {
  const state = events.reduce(after, stateOf(run))
  const done = after(state, event('step_finished', { nest: '1', verdict: 'pass' }))
  expect(done.nests[0]?.done).toBe(1)
  expect(done.nests[0]?.live).toBeNull()
})

test('a failed step is told at once, and stays', () => {
  const finished = (step: string, verdict: string): RunEvent =>
    event('step_finished', {
      nest: '1',
      title: step,
      verdict,
      cause: verdict === 'fail' ? 'breakdown' : '',
    })
  const failed = after(stateOf(run), finished('Withstand', 'fail'))
  expect(failed.nests[0]?.failed).toEqual({ step: 'Withstand', cause: 'breakdown' })
  expect(after(failed, finished('Leakage', 'pass')).nests[0]?.failed?.step).toBe('Withstand')
})

test('the end carries the verdict and the reason of an abort', () => {
  const data = { state: 'aborted', verdict: 'inconclusive', note: 'Aborted by mara.' }
  expect(after(stateOf(run), event('finished', data))).toMatchObject(data)
})

test('a repeated step tells which repetition is done until the next step starts', () => {
  const started = events.reduce(after, stateOf(run))
  const again = after(started, event('repetition', { nest: '1', number: 2, times: 5 }))
  expect(again.nests[0]?.repetition).toEqual({ number: 2, times: 5 })
  const next = { nest: '1', step: 'leak', title: 'Leakage', at: AT }
  expect(after(again, event('step_started', next)).nests[0]?.repetition).toBeNull()
})

test('a rehearsal begins with one nest and no unit', () => {
  const [nest] = rehearsalState('3').nests
  expect([nest?.nest, nest?.serial, nest?.verdict]).toEqual(['3', 'rehearsal', ''])
})

test('a long step keeps its course, thinned, and what it has kept; the next begins anew', () => {
  const look = (at: number) =>
    event('sample', {
      nest: '1',
      phase: 'dwell',
      elapsed_s: at,
      remaining_s: 0,
      values: { current: at },
      meters: {},
      waiting: '',
    })
  const kept = event('kept', { nest: '1', point: '', at_s: 15, quantity: 'current', text: '1 µA' })
  const long = [
    event('step_started', { nest: '1', step: 'pi', title: 'Polarization' }),
    ...Array.from({ length: 1000 }, (_, at) => look(at)),
    kept,
  ].reduce(after, stateOf(run))
  const course = long.nests[0]?.course ?? []
  expect(course.length).toBeLessThanOrEqual(301)
  expect(course[0]?.elapsedS).toBe(0)
  expect(course.at(-1)?.elapsedS).toBe(999)
  expect(long.nests[0]?.kept).toEqual([{ point: '', atS: 15, quantity: 'current', text: '1 µA' }])
  const next = after(long, event('step_started', { nest: '1', step: 'hv', title: 'Withstand' }))
  expect([next.nests[0]?.course, next.nests[0]?.kept]).toEqual([[], []])
})

test('what a long output shows waits a moment, and nothing else does', () => {
  const sample = (elapsed_s: number, values: Record<string, number> = {}) =>
    holdMs({ name: 'sample', data: { elapsed_s, values } } as unknown as RunEvent)
  expect([sample(1), sample(15), sample(300)]).toEqual([0, 400, 1400])
  expect(sample(300, { breaks: 1 })).toBe(0)
  expect(holdMs({ name: 'cue', data: {} } as unknown as RunEvent)).toBe(0)
})
