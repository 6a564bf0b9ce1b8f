import { expect, test } from 'vitest'
import type { Run } from '../api/client'
import { after, type RunEvent, stateOf } from './runState'

const run = {
  state: 'armed',
  verdict: 'not_run',
  note: '',
  questions: [],
  units: [
    { nest: '1', serial: 'A' },
    { nest: '2', serial: 'B' },
  ],
} as unknown as Run

const events: RunEvent[] = [
  { name: 'state', data: { state: 'running' } },
  { name: 'question', data: { nest: '2', question: 'Case closed?', choices: ['pass', 'fail'] } },
  { name: 'step_started', data: { nest: '1', title: 'Withstand' } },
  {
    name: 'sample',
    data: {
      nest: '1',
      phase: 'dwell',
      elapsed_s: 1,
      remaining_s: 2,
      values: { voltage: 1000 },
      bounds: {},
    },
  },
]

test('a sample changes its own nest and no other', () => {
  const state = events.reduce(after, stateOf(run))
  expect(state.state).toBe('running')
  expect(state.nests[0]?.live?.values.voltage).toBe(1000)
  expect(state.nests[1]?.live).toBeNull()
})

test('a question waits at its nest until it is answered', () => {
  const asked = events.reduce(after, stateOf(run))
  expect(asked.nests[1]?.question?.choices).toEqual(['pass', 'fail'])
  const answered = after(asked, { name: 'answered', data: { nest: '2', choice: 'pass' } })
  expect(answered.nests[1]?.question).toBeNull()
})

test('a resumed run starts from the steps that were done', () => {
  const data = { state: 'running', units: [{ nest: '2', serial: 'B', done: 3 }] }
  const state = after(stateOf(run), { name: 'state', data })
  expect(state.nests.map((nest) => nest.done)).toEqual([0, 3])
})

test('a question that the record knows of waits before any event comes', () => {
  const questions = [{ nest: '2', question: 'Case closed?', choices: ['pass'] }]
  const state = stateOf({ ...run, questions })
  expect(state.nests.map((nest) => nest.question?.text)).toEqual([undefined, 'Case closed?'])
})

test('a question for the whole load waits at every nest', () => {
  const data = { nest: 'all', question: 'Oven warm?', choices: ['pass'] }
  const state = after(stateOf(run), { name: 'question', data })
  expect(state.nests.map((nest) => nest.question?.nest)).toEqual(['all', 'all'])
})

test('a finished step counts and takes its live values away', () => {
  const state = events.reduce(after, stateOf(run))
  const done = after(state, { name: 'step_finished', data: { nest: '1', verdict: 'pass' } })
  expect(done.nests[0]?.done).toBe(1)
  expect(done.nests[0]?.live).toBeNull()
})

test('a failed step is told at once, and stays', () => {
  const finished = (step: string, verdict: string): RunEvent => ({
    name: 'step_finished',
    data: { nest: '1', title: step, verdict, cause: verdict === 'fail' ? 'breakdown' : '' },
  })
  const failed = after(stateOf(run), finished('Withstand', 'fail'))
  expect(failed.nests[0]?.failed).toEqual({ step: 'Withstand', cause: 'breakdown' })
  expect(after(failed, finished('Leakage', 'pass')).nests[0]?.failed?.step).toBe('Withstand')
})

test('the end carries the verdict and the reason of an abort', () => {
  const data = { state: 'aborted', verdict: 'inconclusive', note: 'Aborted by mara.' }
  expect(after(stateOf(run), { name: 'finished', data })).toMatchObject(data)
})
