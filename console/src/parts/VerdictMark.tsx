import { HStack, Text } from '@chakra-ui/react'
import type { Verdict } from '../api/client'

const LOOK: Record<Verdict, { word: string; ink: string }> = {
  pass: { word: 'PASS', ink: 'good' },
  fail: { word: 'FAIL', ink: 'bad' },
  inconclusive: { word: 'INCONCLUSIVE', ink: 'unsure' },
  not_run: { word: 'NOT RUN', ink: 'unsure' },
}

export function verdictWord(verdict: string): string {
  return LOOK[verdict as Verdict]?.word ?? verdict
}

export function verdictInk(verdict: string): string {
  return LOOK[verdict as Verdict]?.ink ?? 'soft'
}

/** Our own shapes, so that a verdict can be told without its colour. */
export function VerdictShape({ verdict, size }: { verdict: string; size: number }) {
  return (
    <svg width={size} height={size} viewBox="0 0 24 24" aria-hidden="true" fill="currentColor">
      {verdict === 'pass' && (
        <path d="M12 1l10 5v7c0 5-4 8-10 10C6 21 2 18 2 13V6zm-1.5 15.5l7-8-2-1.8-5.1 5.9-2.6-2.4-1.8 2z" />
      )}
      {verdict === 'fail' && (
        <path d="M1 4l7-3 4 3 4-3 7 3v16l-7 3-4-3-4 3-7-3zm7 2.8L6.8 8l3.8 4-3.8 4L8 17.2l4-3.8 4 3.8 1.2-1.2-3.8-4 3.8-4L16 6.8l-4 3.8z" />
      )}
      {verdict === 'inconclusive' && (
        <path d="M12 1l11 11-11 11L1 12zm-1.2 13v2.5h2.4V14zm0-6.5V13h2.4V7.500z" />
      )}
      {verdict === 'not_run' && <path d="M3 10h18v4H3z" />}
    </svg>
  )
}

interface Props {
  verdict: string
  cause?: string
  size?: 'small' | 'large' | 'huge'
}

const SIZES = {
  small: { shape: 16, text: 'sm' },
  large: { shape: 30, text: '2xl' },
  huge: { shape: 64, text: '6xl' },
} as const

/** A verdict as word, shape and colour. */
export function VerdictMark({ verdict, cause = '', size = 'small' }: Props) {
  const { shape, text } = SIZES[size]
  return (
    <HStack
      gap="2"
      color={verdictInk(verdict)}
      display="inline-flex"
      verticalAlign="middle"
      flexWrap="wrap"
    >
      <VerdictShape verdict={verdict} size={shape} />
      <Text as="span" fontWeight="bold" fontSize={text} lineHeight="1.1">
        {verdictWord(verdict)}
      </Text>
      {cause && (
        <Text as="span" fontSize={size === 'huge' ? '2xl' : 'sm'} color="soft">
          {cause.replaceAll('_', ' ')}
        </Text>
      )}
    </HStack>
  )
}
