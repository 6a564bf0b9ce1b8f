import { Box } from '@chakra-ui/react'
import { useCallback } from 'react'
import uPlot from 'uplot'
import 'uplot/dist/uPlot.min.css'
import { quantityText } from '../parts/quantity'
import { ink, usePlot } from '../parts/usePlot'
import { words } from '../parts/words'
import { BOTH, byAxis, type Drawn, diesAway, lineThrough, nameOf, RATIO, valuesOf } from './drawn'

const HEIGHT = 260
const INKS = ['act', 'unsure', 'bad', 'good', 'soft', 'ink']
const DASHES = [[], [8, 4], [2, 3], [10, 3, 2, 3], [4, 4], [1, 4]]

/** Curves of one quantity, a plot for each x axis that they are over. */
export function CurvePlots({ drawn, quantity }: { drawn: Drawn[]; quantity: string }) {
  return byAxis(drawn).map(([axis, own]) => {
    // Over volts there are no volts to be drawn.
    const shown = quantity === BOTH && axis === 'voltage' ? 'current' : quantity
    const has = shown === RATIO || shown === BOTH ? ['voltage', 'current'] : [shown]
    const drawable = own.filter(({ curve }) =>
      has.every((name) => curve.columns.some((column) => column.name === name)),
    )
    if (drawable.length === 0) return null
    return <CurvePlot key={axis} drawn={drawable} quantity={shown} />
  })
}

/** Curves of one quantity over their x axis, each with its own ink and dash. */
function CurvePlot({ drawn, quantity }: { drawn: Drawn[]; quantity: string }) {
  const place = usePlot(
    useCallback(
      (holder: HTMLDivElement) =>
        new uPlot(
          optionsOf(drawn, quantity, holder.clientWidth),
          dataOf(drawn, quantity, diesAway(drawn, quantity)),
          holder,
        ),
      [drawn, quantity],
    ),
  )

  const named = [...new Set(drawn.map(({ serial }) => serial))].join(', ')
  const axis = words(drawn[0]?.curve.x.name ?? '')
  return (
    <Box
      ref={place}
      minH={`${HEIGHT}px`}
      role="img"
      aria-label={`${words(quantity)} over ${axis} of ${named}; in numbers below`}
    />
  )
}

/** Each curve, and after it the line through it where it is points. */
function seriesOf(drawn: Drawn[], quantity: string) {
  return drawn.flatMap((each, index) => {
    const isBoth = quantity === BOTH
    const { values } = valuesOf(each.curve, isBoth ? 'voltage' : quantity)
    const own = { each, index, values, isLine: each.curve.drawn !== 'points', scale: 'y' }
    if (isBoth) {
      const amperes = valuesOf(each.curve, 'current').values
      return [own, { each, index: index + 1, values: amperes, isLine: true, scale: 'A' }]
    }
    const line = own.isLine ? null : lineThrough(each.curve.x.values, values)
    return line === null ? [own] : [own, { ...own, values: line, isLine: true }]
  })
}

/** All places of all curves on one axis; where a curve has no sample its place stays empty. */
function dataOf(drawn: Drawn[], quantity: string, isLog: boolean): uPlot.AlignedData {
  const tables = seriesOf(drawn, quantity).map(
    ({ each, values }) =>
      [
        each.curve.x.values,
        // Nothing has a place in a logarithmic scale.
        isLog ? values.map((value) => (value ? Math.abs(value) : null)) : values,
      ] as uPlot.AlignedData,
  )
  return tables.length === 1 && tables[0] ? tables[0] : uPlot.join(tables)
}

function optionsOf(drawn: Drawn[], quantity: string, width: number): uPlot.Options {
  const isBoth = quantity === BOTH
  const told = drawn[0] ? valuesOf(drawn[0].curve, isBoth ? 'voltage' : quantity) : null
  const unit = told?.unit ?? ''
  const isLog = diesAway(drawn, quantity)
  const x = drawn[0]?.curve.x
  const place = (value: number) => quantityText(value, x?.unit ?? '')
  const limits = [told?.minimum, told?.maximum].filter((each) => typeof each === 'number')
  const axis = {
    stroke: ink('soft'),
    grid: { stroke: ink('edge'), width: 1 },
    ticks: { show: false },
  }
  return {
    width,
    height: HEIGHT,
    scales: {
      x: { time: false },
      y: isLog ? { distr: 3, log: 10 } : { range: (_, low, high) => rangeOf(low, high, limits) },
    },
    axes: [
      // Room for a figure with its unit beside the next one.
      { ...axis, space: 84, values: (_, values) => values.map(place) },
      {
        ...axis,
        size: 90,
        // Of a logarithmic scale most places have no label.
        values: (_, values: (number | null)[]) =>
          values.map((each) => (each === null ? '' : quantityText(each, unit))),
      },
      ...(isBoth
        ? [
            {
              ...axis,
              scale: 'A',
              side: 1 as const,
              size: 90,
              grid: { show: false },
              values: (_: uPlot, values: number[]) => values.map((each) => quantityText(each, 'A')),
            },
          ]
        : []),
    ],
    series: [
      {
        label: words(x?.name ?? 'x'),
        value: (_, value) => (value === null ? '' : place(value)),
      },
      ...seriesOf(drawn, quantity).map(({ each, index, isLine, scale }) => ({
        label: nameOf(each) + labelled(each, isLine, isBoth ? scale : ''),
        scale,
        stroke: ink(INKS[index % INKS.length] ?? 'ink'),
        dash: DASHES[index % DASHES.length] ?? [],
        width: isLine && each.curve.drawn === 'points' ? 1 : 2,
        spanGaps: true,
        ...(isLine ? {} : { paths: () => null, points: { show: true, size: 9 } }),
        value: (_: uPlot, value: number | null) =>
          value === null ? '' : quantityText(value, scale === 'A' ? 'A' : unit),
      })),
    ],
    hooks: {
      draw: [
        (plot) => {
          if (isBoth) drawMarks(plot, drawn[0]?.curve.marks ?? [])
          drawLimits(plot, limits, unit)
        },
      ],
    },
  }
}

/** What tells a series from others of the same curve. */
function labelled({ curve }: Drawn, isLine: boolean, scale: string): string {
  if (scale) return scale === 'A' ? ', current' : ', voltage'
  return curve.drawn === 'points' && isLine ? ', line' : ''
}

/** Where each phase of the output began: the ends of levels among them. */
function drawMarks(plot: uPlot, marks: { x: number }[]) {
  const { ctx, bbox } = plot
  ctx.save()
  ctx.strokeStyle = ink('edge')
  ctx.lineWidth = 2
  for (const mark of marks) {
    const x = plot.valToPos(mark.x, 'x', true)
    ctx.beginPath()
    ctx.moveTo(x, bbox.top)
    ctx.lineTo(x, bbox.top + bbox.height)
    ctx.stroke()
  }
  ctx.restore()
}

/** The limits lie in the picture unless they are so far off that the curve would be a flat line. */
function rangeOf(low: number, high: number, limits: number[]): [number, number] {
  const near = limits.filter((limit) => limit <= high * 8 && limit >= low - 8 * (high - low))
  const least = Math.min(low, 0, ...near)
  const most = Math.max(high, ...near)
  const room = (most - least || Math.abs(most) || 1) * 0.06
  return [least === 0 ? 0 : least - room, most + room]
}

function drawLimits(plot: uPlot, limits: number[], unit: string) {
  const { ctx, bbox } = plot
  ctx.save()
  ctx.strokeStyle = ink('bad')
  ctx.lineWidth = 2
  ctx.setLineDash([6, 6])
  ctx.fillStyle = ink('bad')
  ctx.font = `${12 * devicePixelRatio}px "DejaVu Sans", sans-serif`
  ctx.textAlign = 'right'
  const line = 14 * devicePixelRatio
  let last = Number.NEGATIVE_INFINITY
  for (const limit of [...limits].sort((one, other) => other - one)) {
    const y = plot.valToPos(limit, 'y', true)
    if (y < bbox.top || y > bbox.top + bbox.height) continue
    ctx.beginPath()
    ctx.moveTo(bbox.left, y)
    ctx.lineTo(bbox.left + bbox.width, y)
    ctx.stroke()
    // Two limits that are close are named above the upper one and below the lower one.
    const isClose = y - last < 1.5 * line
    const text = `limit ${quantityText(limit, unit)}`
    ctx.fillText(text, bbox.left + bbox.width - 6, isClose ? y + line : y - 6)
    last = y
  }
  ctx.restore()
}
