import { Button, Flex } from '@chakra-ui/react'
import type { ReactNode } from 'react'
import type { Schemas, Verdict } from '../api/client'
import { VerdictShape, verdictWord } from '../parts/VerdictMark'
import { VERDICTS } from './search'

interface Props {
  counts: Schemas['UnitCounts'] | undefined
  /** Verdicts that are looked for; none: whatever they are. */
  chosen: string[]
  onChoose: (verdicts: string[]) => void
}

const OF: Record<Verdict, 'passed' | 'failed' | 'inconclusive' | 'not_run'> = {
  pass: 'passed',
  fail: 'failed',
  inconclusive: 'inconclusive',
  not_run: 'not_run',
}

/** How many of what a search finds have one of these verdicts; all where none is looked for. */
export function countOf(counts: Props['counts'], chosen: string[]): number | undefined {
  if (!counts || chosen.length === 0) return counts?.total
  return VERDICTS.filter((each) => chosen.includes(each)).reduce(
    (sum, each) => sum + counts[OF[each]],
    0,
  )
}

/** How many a search finds, by verdict; a verdict that is pressed narrows the list to it. */
export function VerdictCounts({ counts, chosen, onChoose }: Props) {
  return (
    <Flex gap="2" wrap="wrap" role="group" aria-label="By verdict">
      <Tally isOn={chosen.length === 0} onClick={() => onChoose([])}>
        {counts ? counts.total.toLocaleString('en') : '…'} in all
      </Tally>
      {VERDICTS.map((verdict) => {
        const count = counts?.[OF[verdict]] ?? 0
        const isOn = chosen.includes(verdict)
        if (count === 0 && !isOn) return null
        return (
          <Tally
            key={verdict}
            isOn={isOn}
            onClick={() =>
              onChoose(isOn ? chosen.filter((each) => each !== verdict) : [...chosen, verdict])
            }
          >
            <VerdictShape verdict={verdict} size={16} />
            {count.toLocaleString('en')} {verdictWord(verdict).toLowerCase()}
          </Tally>
        )
      })}
    </Flex>
  )
}

function Tally({
  isOn,
  onClick,
  children,
}: {
  isOn: boolean
  onClick: () => void
  children: ReactNode
}) {
  return (
    <Button
      size="sm"
      variant="outline"
      aria-pressed={isOn}
      bg={isOn ? 'sunk' : 'plate'}
      borderColor={isOn ? 'act' : 'edge'}
      borderWidth={isOn ? '2px' : '1px'}
      color="ink"
      onClick={onClick}
    >
      {children}
    </Button>
  )
}
