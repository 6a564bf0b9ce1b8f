import { Box, Checkbox, Flex, Text } from '@chakra-ui/react'
import { useMemo, useState } from 'react'
import { Choice } from '../parts/Choice'
import { Trouble } from '../parts/Trouble'
import { Waiting } from '../parts/Waiting'
import { words } from '../parts/words'
import { CurvePlots } from './CurvePlot'
import { nameOf, pointsOf, quantitiesOf, usualOf } from './drawn'
import { FigureTable, Summary } from './FigureTable'
import { useCurves } from './useCurves'
import { Waves } from './Waves'
import { isWave } from './waveform'

export interface CurvesKey {
  nest: string
  number: number
}

interface Props {
  runId: string
  step: string
  /** The attempts of the unit that is looked at; all of them are drawn. */
  own: CurvesKey[]
  /** The same step of other units, to be laid over. */
  others: CurvesKey[]
}

const EVERY = 'every point'

/** The curves of a step with its limits, and those of other nests laid over on request. */
export default function CurvePanel({ runId, step, own, others }: Props) {
  const [added, setAdded] = useState<string[]>([])
  const [quantity, setQuantity] = useState('')
  const [point, setPoint] = useState(EVERY)
  const keys = [...own, ...others.filter((each) => added.includes(each.nest))].map((each) => ({
    runId,
    step,
    ...each,
  }))
  const { trouble, isWaiting, drawn } = useCurves(keys)
  const tables = drawn.filter(({ curve }) => curve.drawn === 'table')
  const waves = useMemo(() => drawn.filter(isWave), [drawn])
  const plotted = useMemo(
    () => drawn.filter((each) => each.curve.drawn !== 'table' && !isWave(each)),
    [drawn],
  )
  const points = pointsOf(plotted)
  const chosen = useMemo(
    () => (point === EVERY ? plotted : plotted.filter(({ curve }) => curve.point === point)),
    [plotted, point],
  )
  if (trouble) return <Trouble text={trouble.message} />
  if (isWaiting) return <Waiting />
  const names = quantitiesOf(chosen)
  const shown = names.includes(quantity) ? quantity : usualOf(chosen)
  return (
    <Box mt="4">
      {waves.length > 0 && <Waves drawn={waves} />}
      <Flex gap="5" align="center" wrap="wrap" mb="2">
        {names.length > 0 && (
          <Choice
            label="Curve"
            width="14rem"
            value={shown}
            options={names.map((name): [string, string] => [name, words(name)])}
            onChange={setQuantity}
          />
        )}
        {points.length > 1 && (
          <Choice
            label="Point"
            width="14rem"
            value={point}
            options={[EVERY, ...points].map((each): [string, string] => [
              each,
              each || 'whole unit',
            ])}
            onChange={setPoint}
          />
        )}
        {others.length > 0 && <Text>Lay over</Text>}
        {others.map(({ nest }) => (
          <Checkbox.Root
            key={nest}
            checked={added.includes(nest)}
            onCheckedChange={({ checked }) =>
              setAdded(checked ? [...added, nest] : added.filter((each) => each !== nest))
            }
          >
            <Checkbox.HiddenInput />
            <Checkbox.Control borderColor="edge" />
            <Checkbox.Label>nest {nest}</Checkbox.Label>
          </Checkbox.Root>
        ))}
      </Flex>
      <CurvePlots drawn={chosen} quantity={shown} />
      <Summary drawn={chosen} quantity={shown} />
      {tables.map((each) => (
        <FigureTable key={nameOf(each)} drawn={each} />
      ))}
    </Box>
  )
}
