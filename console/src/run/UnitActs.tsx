import { Box, Button, Flex, Input } from '@chakra-ui/react'
import { useQueryClient } from '@tanstack/react-query'
import { type FormEvent, useState } from 'react'
import { api, ask, type Run, type Unit } from '../api/client'
import { sendPicture } from '../api/pictures'
import { Trouble } from '../parts/Trouble'
import { useMay } from '../session/SessionProvider'
import { UnitTold } from '../units/UnitTold'

type Doing = 'nothing' | 'repeat' | 'remark'

/** What can be done with a unit after its run: repeat it, remark on it with a photo. */
export function UnitActs({ run, unit, step }: { run: Run; unit: Unit; step: string }) {
  const [doing, setDoing] = useState<Doing>('nothing')
  const may = useMay()
  // A run of a series that did not come to its end is not completed by hand.
  const canRepeat =
    unit.verdict !== 'pass' && (run.start_by !== 'series' || run.state === 'finished')
  const about = run.steps.find((each) => each.id === step)?.title
  return (
    <Box>
      <UnitTold unit={{ ...unit, answers: [] }} />
      <Flex gap="3" wrap="wrap" align="center" mt="2" hidden={!may.run}>
        {canRepeat && doing === 'nothing' && (
          <Button
            variant="outline"
            color="ink"
            borderColor="edge"
            onClick={() => setDoing('repeat')}
          >
            Repeat {about ? `“${about}”` : 'this unit'}
          </Button>
        )}
        {doing === 'nothing' && (
          <Button
            variant="outline"
            color="ink"
            borderColor="edge"
            onClick={() => setDoing('remark')}
          >
            Remark
          </Button>
        )}
        {doing !== 'nothing' && (
          <ActForm
            run={run}
            unit={unit}
            step={step}
            doing={doing}
            onDone={() => setDoing('nothing')}
          />
        )}
      </Flex>
    </Box>
  )
}

interface FormProps {
  run: Run
  unit: Unit
  step: string
  doing: 'repeat' | 'remark'
  onDone: () => void
}

function ActForm({ run, unit, step, doing, onDone }: FormProps) {
  const queries = useQueryClient()
  const [text, setText] = useState('')
  const [photo, setPhoto] = useState<File | null>(null)
  const [trouble, setTrouble] = useState('')
  const [busy, setBusy] = useState(false)
  const id = `${doing}-${unit.nest}`

  async function submit(event: FormEvent) {
    event.preventDefault()
    setBusy(true)
    const params = { path: { run_id: run.id } }
    try {
      const next =
        doing === 'repeat'
          ? await ask(
              api.POST('/api/v1/runs/{run_id}/repeats', {
                params,
                body: { nest: unit.nest, step, reason: text.trim() },
              }),
            )
          : await ask(
              api.POST('/api/v1/runs/{run_id}/remarks', {
                params,
                body: {
                  nest: unit.nest,
                  step,
                  text: text.trim(),
                  picture: photo === null ? '' : await sendPicture(photo),
                },
              }),
            )
      queries.setQueryData(['run', run.id], next)
      onDone()
    } catch (error) {
      setTrouble((error as Error).message)
      setBusy(false)
    }
  }

  return (
    <form onSubmit={submit}>
      <Flex gap="3" align="center" wrap="wrap">
        <label htmlFor={id}>{doing === 'repeat' ? 'Why is it repeated?' : 'Remark'}</label>
        <Input
          id={id}
          autoFocus
          autoComplete="off"
          w="24rem"
          bg="plate"
          borderColor="edge"
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
        {doing === 'remark' && (
          <>
            <label htmlFor={`${id}-photo`}>Photo</label>
            <input
              id={`${id}-photo`}
              type="file"
              accept="image/png,image/jpeg,image/webp"
              onChange={(event) => setPhoto(event.target.files?.[0] ?? null)}
            />
          </>
        )}
        <Button type="submit" bg="act" color="act.ink" loading={busy} disabled={text.trim() === ''}>
          {doing === 'repeat' ? 'Ask for the repeat' : 'Keep the remark'}
        </Button>
        <Button variant="outline" color="ink" borderColor="edge" onClick={onDone}>
          Leave it
        </Button>
      </Flex>
      {trouble && <Trouble text={trouble} />}
    </form>
  )
}
