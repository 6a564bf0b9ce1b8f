import { ChakraProvider } from '@chakra-ui/react'
import { cleanup, render, screen } from '@testing-library/react'
import { afterEach, expect, test } from 'vitest'
import { lichen } from '../theme/lichen'
import type { NestState, Span } from './runState'
import { Timeline } from './Timeline'

afterEach(cleanup)

function nest(name: string, spans: Span[]): NestState {
  return { nest: name, serial: name, spans } as NestState
}

function span(step: string, begin: number, end: number | null, verdict = 'pass'): Span {
  return { step, title: step, begin, end, verdict }
}

function draw(nests: NestState[], isLive = false) {
  return render(
    <ChakraProvider value={lichen}>
      <Timeline nests={nests} isLive={isLive} />
    </ChakraProvider>,
  )
}

test('every step is a bar that tells its verdict without its colour', () => {
  draw([
    nest('1', [span('earth', 0, 2000), span('withstand', 2000, 4000, 'fail')]),
    nest('2', [span('earth', 2000, 4000)]),
  ])
  expect(screen.getByRole('img', { name: 'Timeline of 2 nests over 4.0 seconds' })).toBeDefined()
  const told = [...document.querySelectorAll('title')].map((each) => each.textContent)
  expect(told).toEqual(['earth: PASS', 'withstand: FAIL', 'earth: PASS'])
  const [first, second, third] = [...document.querySelectorAll('rect')]
  expect(second?.getAttribute('x')).toBe(third?.getAttribute('x'))
  expect(first?.getAttribute('width')).toBe(second?.getAttribute('width'))
})

test('a step under way reaches to the present', () => {
  const now = Date.now()
  draw([nest('1', [span('earth', now - 3000, null, '')])], true)
  expect(document.querySelector('title')?.textContent).toBe('earth: under way')
})

test('before the first step there is nothing to draw', () => {
  draw([nest('1', [])])
  expect(document.querySelector('svg')).toBeNull()
})
