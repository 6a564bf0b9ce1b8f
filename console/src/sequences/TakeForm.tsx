import { Button, Flex, Input, Stack, Text } from '@chakra-ui/react'
import { type FormEvent, useState } from 'react'
import { api, ask, type Reading, type Schemas } from '../api/client'
import { Choice } from '../parts/Choice'
import { Trouble } from '../parts/Trouble'
import { measurand } from '../parts/words'

type Use = Schemas['Taking']['use']

interface Props {
  rehearsal: Schemas['RehearsalOut']
  onTake: (step: string, taken: Schemas['TakenOut'][]) => boolean
}

const USES: [Use, string][] = [
  ['maximum', 'its maximum'],
  ['minimum', 'its minimum'],
  ['nominal', 'its nominal value'],
]

const EVERY_POINT = '*'

/** A reading to be taken, or one of several points whose like are all to be taken. */
interface Measured {
  step: string
  reading: Reading
  /** How many points have such a reading, where all are meant. */
  each?: number
}

function wordsFor({ step, reading, each }: Measured): string {
  if (each !== undefined) return `${step}, ${measurand({ ...reading, point: '' })}: each of ${each}`
  const again = reading.repetition > 1 ? ` (${reading.repetition})` : ''
  return `${step}, ${measurand(reading)}${again}: ${reading.text}`
}

/** Takes a reading of a rehearsal over into its step, as a limit or as the value to expect. */
export function TakeForm({ rehearsal, onTake }: Props) {
  const readings = withEach(
    rehearsal.attempts.flatMap((attempt) =>
      attempt.readings.map((reading) => ({ step: attempt.step_id, reading })),
    ),
  )
  const [place, setPlace] = useState(0)
  const [use, setUse] = useState<Use>('maximum')
  const [allowance, setAllowance] = useState('')
  const [told, setTold] = useState('')
  const [trouble, setTrouble] = useState('')
  const chosen = readings[place]
  if (chosen === undefined) return null
  const { step, reading, each } = chosen

  async function submit(event: FormEvent) {
    event.preventDefault()
    setTold('')
    setTrouble('')
    try {
      const params = { path: { rehearsal_id: rehearsal.id } }
      const { quantity, repetition } = reading
      const point = each === undefined ? reading.point : EVERY_POINT
      const body = { step, quantity, point, repetition, use, allowance }
      const taken = await ask(api.POST('/api/v1/rehearsals/{rehearsal_id}/take', { params, body }))
      if (onTake(step, taken)) {
        setTold(`${step}: ${taken.map((one) => `${one.path.at(-1)} ${one.value}`).join(', ')}`)
      } else {
        setTrouble(`There is no step ${step} any more; undo, or rehearse again.`)
      }
    } catch (error) {
      setTrouble((error as Error).message)
    }
  }

  return (
    <Stack gap="2">
      <form onSubmit={submit}>
        <Flex gap="3" align="center" wrap="wrap">
          <Text>Take</Text>
          <Choice
            label="Reading"
            isLabelHidden
            size="sm"
            width="22rem"
            value={String(place)}
            options={readings.map((each, at): [string, string] => [String(at), wordsFor(each)])}
            onChange={(at) => setPlace(Number(at))}
          />
          <Text>as</Text>
          <Choice
            label="Taken as"
            isLabelHidden
            size="sm"
            width="11rem"
            value={use}
            options={USES}
            onChange={(chosen) => setUse(chosen as Use)}
          />
          <label htmlFor="allowance">allowing</label>
          <Input
            id="allowance"
            w="6rem"
            size="sm"
            bg="plate"
            borderColor="edge"
            autoComplete="off"
            placeholder={use === 'nominal' ? 'as usual' : '20 %'}
            _placeholder={{ color: 'soft' }}
            value={allowance}
            onChange={(event) => setAllowance(event.target.value)}
          />
          <Button type="submit" size="sm" variant="outline" borderColor="act" color="act">
            Take it over
          </Button>
        </Flex>
      </form>
      {told && <Text role="status">Written into {told}.</Text>}
      {trouble && <Trouble text={trouble} />}
    </Stack>
  )
}

/** The readings, and before those of several points one that stands for each of them. */
export function withEach(readings: Measured[]): Measured[] {
  const alike = (one: Measured, other: Measured) =>
    one.step === other.step &&
    one.reading.quantity === other.reading.quantity &&
    one.reading.repetition === other.reading.repetition
  return readings.flatMap((own, at) => {
    const same = readings.filter((other) => alike(own, other))
    const isFirst = readings.findIndex((other) => alike(own, other)) === at
    return isFirst && same.length > 1 ? [{ ...own, each: same.length }, own] : [own]
  })
}
