const FIGURE = /^\s*([+-]?\d*\.?\d+)\s*(.*)$/

/**
 * A figure moved by so many steps of the display it is read from: `37.0 °C` by one of `0.1 °C` is
 * `37.1 °C`. As it was where it is no figure, or its unit is not that of the step.
 */
export function stepped(figure: string, step: string, by: number): string {
  const [, number, unit] = FIGURE.exec(figure) ?? []
  const [, size, stepUnit] = FIGURE.exec(step) ?? []
  if (number === undefined || size === undefined || unit !== stepUnit) return figure
  const places = (size.split('.')[1] ?? '').length
  return `${(Number(number) + by * Number(size)).toFixed(places)} ${unit}`.trim()
}
