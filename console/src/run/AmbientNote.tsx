import { Button, Flex, Text } from '@chakra-ui/react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { api, ask } from '../api/client'
import { LabelledInput } from '../parts/LabelledInput'
import { quantityText } from '../parts/quantity'
import { Trouble } from '../parts/Trouble'

/** The air about the units: said once a shift, and on the certificates of runs started after it. */
export function AmbientNote({ maySay }: { maySay: boolean }) {
  const queries = useQueryClient()
  const found = useQuery({
    queryKey: ['ambient'],
    queryFn: () => ask(api.GET('/api/v1/ambient')),
  })
  const [temperature, setTemperature] = useState('')
  const [humidity, setHumidity] = useState('')
  const [isOpen, setOpen] = useState(false)
  const [trouble, setTrouble] = useState('')
  const air = found.data
  if (air === undefined || !air.asked) return null
  if (air.instrument && !air.holds) {
    return <Text color="soft">{air.instrument} measures the air when a run is started.</Text>
  }

  async function say() {
    try {
      const body = { temperature, humidity }
      queries.setQueryData(['ambient'], await ask(api.POST('/api/v1/ambient', { body })))
      setOpen(false)
      setTrouble('')
    } catch (error) {
      setTrouble((error as Error).message)
    }
  }

  if (air.holds && !isOpen) {
    const said = [air.temperature, air.humidity].filter(Boolean).join(', ')
    return (
      <Flex gap="3" align="center" color="soft">
        <Text>
          Ambient {said} ({air.by}, {air.at.slice(11, 16)} UTC)
        </Text>
        {maySay && (
          <Button size="xs" variant="ghost" color="ink" onClick={() => setOpen(true)}>
            Say it again
          </Button>
        )}
      </Flex>
    )
  }
  if (!maySay) return null
  return (
    <fieldset>
      <legend>What is the air like this shift? It goes onto the certificates.</legend>
      <Flex gap="4" align="end" wrap="wrap">
        <LabelledInput
          label="Temperature"
          hint={quantityText(21.5, '°C')}
          width="9rem"
          value={temperature}
          onChange={setTemperature}
        />
        <LabelledInput
          label="Humidity"
          hint="45 %"
          width="9rem"
          value={humidity}
          onChange={setHumidity}
        />
        <Button
          variant="outline"
          borderColor="edge"
          color="ink"
          bg="plate"
          disabled={!temperature}
          onClick={() => void say()}
        >
          Keep
        </Button>
      </Flex>
      {trouble && <Trouble text={trouble} />}
    </fieldset>
  )
}
