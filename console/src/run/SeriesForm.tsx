import { Checkbox, Flex, Stack, Text } from '@chakra-ui/react'
import { type FormEvent, useState } from 'react'
import { Link, useNavigate } from 'react-router'
import { api, ask, type Schemas } from '../api/client'
import type { Value } from '../forms/schema'
import { Choice } from '../parts/Choice'
import { KeyButton } from '../parts/KeyButton'
import { LabelledInput } from '../parts/LabelledInput'
import { LINK } from '../parts/link'
import { Trouble } from '../parts/Trouble'
import { LineForm } from './LineForm'

const COUNTING = 'loricate-count-from'

interface Props {
  sequence: string
  fixture: Schemas['FixtureOut']
  lot: string
}

/** Begin a series: which nests, where serials come from, when an engineer is asked for. */
export default function SeriesForm({ sequence, fixture, lot }: Props) {
  const go = useNavigate()
  const [nests, setNests] = useState(fixture.felt.slice(0, 1))
  const [isCounted, setCounted] = useState(localStorage.getItem(COUNTING) !== null)
  const [countFrom, setCountFrom] = useState(localStorage.getItem(COUNTING) ?? '')
  const [line, setLine] = useState<Value>({})
  const [trouble, setTrouble] = useState('')
  const [busy, setBusy] = useState(false)
  const isReady = nests.length > 0 && (!isCounted || countFrom.trim() !== '')

  async function begin(event: FormEvent) {
    event.preventDefault()
    setBusy(true)
    setTrouble('')
    try {
      const body = {
        sequence,
        fixture: fixture.code,
        nests: fixture.felt.filter((each) => nests.includes(each)),
        lot,
        count_from: isCounted ? countFrom.trim() : '',
        line,
      }
      const made = await ask(api.POST('/api/v1/series', { body }))
      if (isCounted) localStorage.setItem(COUNTING, countFrom.trim())
      else localStorage.removeItem(COUNTING)
      await go(`/run/series/${made.id}`)
    } catch (error) {
      setTrouble((error as Error).message)
      setBusy(false)
    }
  }

  return (
    <form onSubmit={(event) => void begin(event)} aria-label="Begin a series">
      <Stack gap="5">
        <Text>
          Armed once; each unit that is plugged in is tested, until you stop it. A unit counts as
          the next one when its nest was empty before.
        </Text>
        <Flex gap="5" wrap="wrap" align="flex-end">
          {fixture.felt.length > 1 && (
            <Stack gap="1" as="fieldset" role="group" aria-label="Nests that are filled">
              <Text>Nests that are filled</Text>
              <Flex gap="4" minH="12" align="center">
                {fixture.felt.map((nest) => (
                  <Checkbox.Root
                    key={nest}
                    checked={nests.includes(nest)}
                    onCheckedChange={({ checked }) =>
                      setNests(checked ? [...nests, nest] : nests.filter((each) => each !== nest))
                    }
                  >
                    <Checkbox.HiddenInput />
                    <Checkbox.Control />
                    <Checkbox.Label>{nest}</Checkbox.Label>
                  </Checkbox.Root>
                ))}
              </Flex>
            </Stack>
          )}
          <Choice
            size="lg"
            label="Serials"
            value={isCounted ? 'counted' : 'scanned'}
            options={[
              ['scanned', 'scanned, each before its unit'],
              ['counted', 'counted up'],
            ]}
            onChange={(value) => setCounted(value === 'counted')}
          />
          {isCounted && (
            <LabelledInput
              size="lg"
              label="First serial, or pattern"
              hint="CL7-26-####"
              value={countFrom}
              onChange={setCountFrom}
              width="16rem"
            />
          )}
        </Flex>
        <LineForm value={line} onChange={setLine} otherwise="as the sequence has them" />
        {trouble && <Trouble text={trouble} />}
        <Flex align="center" gap="4">
          <KeyButton
            keyName="Enter"
            type="submit"
            bg="act"
            color="act.ink"
            loading={busy}
            disabled={!isReady}
          >
            Begin this series
          </KeyButton>
          <Text color="soft">Nothing is energised yet.</Text>
          <Link to="/run/series" style={LINK}>
            Earlier series
          </Link>
        </Flex>
      </Stack>
    </form>
  )
}
