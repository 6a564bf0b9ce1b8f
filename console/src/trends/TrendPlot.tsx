import { Box } from '@chakra-ui/react'
import { useCallback } from 'react'
import uPlot from 'uplot'
import 'uplot/dist/uPlot.min.css'
import { quantityText } from '../parts/quantity'
import { ink, usePlot } from '../parts/usePlot'
import type { Layer, Look, Plotted } from './plotted'
import type { Reading } from './trend'

interface Props {
  plotted: Plotted
  unit: string
  zone: string
  label: string
  height?: number
  onPick?: (reading: Reading) => void
}

const INKS: Record<Look, string> = {
  reading: 'act',
  failed: 'bad',
  above: 'act',
  below: 'act',
  limit: 'bad',
  line: 'unsure',
  bars: 'act',
}
const NAMES_WIDTH = 72
const POINTS: Look[] = ['reading', 'failed', 'above', 'below']

/** Layers over one axis: readings as points, bounds as arrows, limits as lines with their names. */
export function TrendPlot({ plotted, unit, zone, label, height = 340, onPick }: Props) {
  const place = usePlot(
    useCallback(
      (holder: HTMLDivElement) => {
        const plot = new uPlot(
          optionsOf(plotted, unit, zone, holder.clientWidth, height),
          [plotted.x, ...plotted.layers.map(({ values }) => values)] as uPlot.AlignedData,
          holder,
        )
        plot.over.addEventListener('click', () => {
          const reading = plotted.readings[plot.cursor.idx ?? -1]
          if (reading !== undefined) onPick?.(reading)
        })
        return plot
      },
      [plotted, unit, zone, height, onPick],
    ),
  )
  return (
    <Box ref={place} minH={`${height}px`} role="img" aria-label={`${label}; in numbers below`} />
  )
}

function optionsOf(
  plotted: Plotted,
  unit: string,
  zone: string,
  width: number,
  height: number,
): uPlot.Options {
  const axis = {
    stroke: ink('soft'),
    grid: { stroke: ink('edge'), width: 1 },
    ticks: { show: false },
  }
  const isHistogram = plotted.axis === 'value'
  const shown = (value: number | null) => (value === null ? '' : quantityText(value, unit, 3))
  const counted = (value: number | null) => (value === null ? '' : String(value))
  const across = plotted.across.map(({ at }) => at)
  const log = { distr: 3 as const, log: 10 as const }
  return {
    width,
    height,
    padding: [null, NAMES_WIDTH, null, null],
    tzDate: (stamp) => uPlot.tzDate(new Date(stamp * 1000), zone),
    scales: {
      x: {
        time: plotted.axis === 'time',
        ...(isHistogram && plotted.isLog ? log : {}),
        ...xRange(plotted, across),
      },
      y:
        plotted.isLog && !isHistogram
          ? { ...log, range: (_, low, high) => around(low, high, across, true) }
          : {
              range: (_, low, high) =>
                isHistogram ? [0, high * 1.05] : around(low, high, across, false),
            },
    },
    axes: [
      {
        ...axis,
        ...(plotted.axis === 'group'
          ? {
              splits: plotted.groups.map((_, at) => at),
              values: (_: uPlot, at: number[]) => at.map((each) => plotted.groups[each] || 'none'),
            }
          : {}),
        ...(isHistogram
          ? { space: 84, values: (_: uPlot, at: (number | null)[]) => at.map(shown) }
          : {}),
        ...(isHistogram && plotted.isLog ? { splits: decadesOf } : {}),
        ...(plotted.axis === 'number' ? { incrs: [1, 2, 5, 10, 20, 50, 100, 200, 500, 1000] } : {}),
        ...(plotted.axis === 'time' ? { space: 90, values: timesIn(zone) } : {}),
      },
      {
        ...axis,
        size: 90,
        values: (_, at: (number | null)[]) => at.map(isHistogram ? counted : shown),
        ...(plotted.isLog && !isHistogram ? { splits: decadesOf } : {}),
      },
    ],
    series: [
      {
        label: xLabel(plotted),
        value: (_, value, __, at) => xText(plotted, value, at ?? -1, zone),
      },
      ...plotted.layers.map((layer) => ({
        label: layer.label,
        stroke: ink(INKS[layer.look]),
        value: (_: uPlot, value: number | null) => (isHistogram ? counted(value) : shown(value)),
        ...drawnAs(layer),
      })),
    ],
    hooks: { draw: [(plot) => drawOver(plot, plotted)] },
  }
}

/** How the layer's line or bars are drawn; points are drawn over them, each by its shape. */
function drawnAs({ look }: Layer): Partial<uPlot.Series> {
  if (POINTS.includes(look)) return { paths: () => null, points: { show: false } }
  if (look === 'bars') {
    const bars = uPlot.paths.bars?.({ size: [0.9, 200] })
    return { fill: ink('act'), points: { show: false }, ...(bars ? { paths: bars } : {}) }
  }
  if (look === 'limit') {
    const steps = uPlot.paths.stepped?.({ align: 1 })
    return { width: 2, dash: [6, 6], points: { show: false }, ...(steps ? { paths: steps } : {}) }
  }
  return { width: 2, points: { show: false } }
}

function xRange(plotted: Plotted, across: number[]): uPlot.Scale {
  if (plotted.axis === 'group') return { range: [-0.6, plotted.groups.length - 0.4] }
  if (plotted.axis === 'number') return { range: (_, low, high) => [low - 1, high + 1] }
  if (plotted.axis === 'time') {
    const [low, high] = [plotted.x[0] ?? 0, plotted.x.at(-1) ?? 0]
    const room = (high - low) * 0.02 || 3600
    return { range: [low - room, high + room] }
  }
  // Bars have a width of their own on either side of their middles.
  return {
    range: (_, low, high) => {
      const count = Math.max(1, plotted.x.length - 1)
      if (plotted.isLog) {
        const room = (high / low) ** (1 / count)
        return around(low / room, high * room, across, true)
      }
      const room = (high - low) / count || Math.abs(high) * 0.1 || 1
      return around(low - room, high + room, across, false)
    },
  }
}

/** Where a scale of decades is labelled: at 1, 2 and 5 of each while there are few, else at 1. */
function decadesOf(_: uPlot, __: number, low: number, high: number): number[] {
  const decades = Math.log10(high / low)
  const steps = decades > 6 ? [1] : decades > 2.5 ? [1, 3] : [1, 2, 5]
  const found: number[] = []
  for (let power = Math.floor(Math.log10(low)); power <= Math.log10(high); power++) {
    for (const step of steps) {
      const at = step * 10 ** power
      if (at >= low && at <= high) found.push(at)
    }
  }
  return found
}

/** Times of a zone below an axis; the day stands where it changes. */
function timesIn(zone: string) {
  return (_: uPlot, at: number[], __: number, ___: number, step: number) => {
    let last = ''
    return at.map((stamp) => {
      const [day = '', time = ''] = new Date(stamp * 1000)
        .toLocaleString('sv', { timeZone: zone })
        .split(' ')
      if (step >= 86_400) return day
      const told = time.slice(0, step < 60 ? 8 : 5)
      const isNew = day !== last
      last = day
      return isNew ? `${told}\n${day}` : told
    })
  }
}

/** From the least to the most, with lines that are not too far off. */
function around(low: number, high: number, lines: number[], isLog: boolean): [number, number] {
  if (isLog) {
    const near = lines.filter((each) => each > low / 100 && each < high * 100)
    return [Math.min(low, ...near) / 1.3, Math.max(high, ...near) * 1.3]
  }
  const reach = high - low || Math.abs(high) || 1
  const near = lines.filter((each) => each > low - 3 * reach && each < high + 3 * reach)
  const room = 0.06 * reach
  return [Math.min(low, ...near) - room, Math.max(high, ...near) + room]
}

function xLabel({ axis }: Plotted): string {
  return { time: 'tested', number: 'unit', value: 'about', group: 'unit' }[axis]
}

function xText(plotted: Plotted, value: number | null, at: number, zone: string): string {
  const reading = plotted.readings[at]
  if (value === null) return ''
  if (plotted.axis === 'value') return ''
  if (plotted.axis === 'time') {
    const when = new Date(value * 1000).toLocaleString('sv', { timeZone: zone })
    return `${when} ${reading?.serial ?? ''}`
  }
  return reading?.serial ?? ''
}

function drawOver(plot: uPlot, plotted: Plotted) {
  const { ctx, bbox } = plot
  const dot = devicePixelRatio
  ctx.save()
  ctx.beginPath()
  ctx.rect(bbox.left, bbox.top, bbox.width, bbox.height)
  ctx.clip()
  drawAcross(plot, plotted, dot)
  for (const layer of plotted.layers.filter(({ look }) => POINTS.includes(look))) {
    ctx.strokeStyle = ctx.fillStyle = ink(INKS[layer.look])
    ctx.lineWidth = 2 * dot
    layer.values.forEach((value, at) => {
      if (value === null) return
      const [x, y] = placed(plot, plotted.x[at] ?? 0, value)
      ctx.beginPath()
      drawMark(ctx, layer.look, x, y, dot)
    })
  }
  ctx.strokeStyle = ink('bad')
  ctx.lineWidth = 1.5 * dot
  for (const at of plotted.marked) {
    const value = plotted.readings[at]?.value
    if (typeof value !== 'number') continue
    const [x, y] = placed(plot, plotted.x[at] ?? 0, value)
    ctx.beginPath()
    ctx.arc(x, y, 6 * dot, 0, 2 * Math.PI)
    ctx.stroke()
  }
  ctx.restore()
  drawNames(plot, plotted, dot)
}

/** The names of lines, beside them on the right, where no reading lies. */
function drawNames(plot: uPlot, plotted: Plotted, dot: number) {
  if (plotted.axis === 'value') return
  const { ctx, bbox } = plot
  const named = [
    ...plotted.across.map(({ at, label }) => ({ at, label, colour: 'soft' })),
    ...plotted.layers.flatMap(({ look, label, values }) => {
      const at = look === 'limit' ? values.at(-1) : null
      return typeof at === 'number' ? [{ at, label, colour: 'bad' }] : []
    }),
  ]
  ctx.save()
  ctx.font = `${12 * dot}px "DejaVu Sans", sans-serif`
  ctx.textAlign = 'left'
  ctx.textBaseline = 'middle'
  for (const { at, label, colour } of named) {
    const y = plot.valToPos(at, 'y', true)
    if (y < bbox.top - 1 || y > bbox.top + bbox.height + 1) continue
    ctx.fillStyle = ink(colour)
    ctx.fillText(label, bbox.left + bbox.width + 5 * dot, y)
  }
  ctx.restore()
}

function placed(plot: uPlot, x: number, y: number): [number, number] {
  return [plot.valToPos(x, 'x', true), plot.valToPos(y, 'y', true)]
}

function drawMark(ctx: CanvasRenderingContext2D, look: Look, x: number, y: number, dot: number) {
  const r = 4 * dot
  if (look === 'failed') {
    ctx.moveTo(x - r, y - r)
    ctx.lineTo(x + r, y + r)
    ctx.moveTo(x - r, y + r)
    ctx.lineTo(x + r, y - r)
    ctx.stroke()
  } else if (look === 'reading') {
    ctx.arc(x, y, 2.5 * dot, 0, 2 * Math.PI)
    ctx.fill()
  } else {
    const tip = look === 'above' ? -1.6 * r : 1.6 * r
    ctx.moveTo(x, y + tip)
    ctx.lineTo(x - r, y)
    ctx.lineTo(x + r, y)
    ctx.fill()
  }
}

/** Lines through the whole plot: limits of a chart, or with their names of a histogram. */
function drawAcross(plot: uPlot, plotted: Plotted, dot: number) {
  const { ctx, bbox } = plot
  ctx.font = `${12 * dot}px "DejaVu Sans", sans-serif`
  for (const { at, label, isLimit } of plotted.across) {
    ctx.strokeStyle = ctx.fillStyle = ink(isLimit ? 'bad' : 'soft')
    ctx.lineWidth = dot
    ctx.setLineDash(label === 'centre' || label === 'mean' ? [] : [4 * dot, 4 * dot])
    ctx.beginPath()
    if (plotted.axis === 'value') {
      const x = plot.valToPos(at, 'x', true)
      ctx.moveTo(x, bbox.top)
      ctx.lineTo(x, bbox.top + bbox.height)
      ctx.textAlign = 'left'
      ctx.fillText(label, x + 4 * dot, bbox.top + 14 * dot)
    } else {
      const y = plot.valToPos(at, 'y', true)
      ctx.moveTo(bbox.left, y)
      ctx.lineTo(bbox.left + bbox.width, y)
    }
    ctx.stroke()
    ctx.setLineDash([])
  }
}
