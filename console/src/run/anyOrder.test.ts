import { expect, test } from 'vitest'
import { leftBeside } from './anyOrder'

const steps = [
  { id: 'a', title: 'A', order: 'any' as const },
  { id: 'b', title: 'B', order: 'as_written' as const },
  { id: 'c', title: 'C', order: 'any' as const },
  { id: 'd', title: 'D', order: 'any' as const },
  { id: 'e', title: 'E', order: 'any' as const },
]
const span = (step: string) => ({ step, title: step, begin: 0, end: 1, verdict: 'pass' })

test('what is left of a group is told while one of it goes on', () => {
  const at = (stepId: string, ...begun: string[]) =>
    leftBeside({ stepId, spans: begun.map(span) }, steps)
  expect(at('d', 'a', 'b', 'd')).toEqual(['C', 'E'])
  expect(at('c', 'd', 'c')).toEqual(['E'])
  expect(at('e', 'c', 'd', 'e')).toEqual([])
})

test('beside a step that comes as written, or none, nothing is told', () => {
  expect(leftBeside({ stepId: 'b', spans: [] }, steps)).toEqual([])
  expect(leftBeside({ stepId: '', spans: [] }, steps)).toEqual([])
  expect(leftBeside({ stepId: 'a', spans: [span('a')] }, steps)).toEqual([])
})
