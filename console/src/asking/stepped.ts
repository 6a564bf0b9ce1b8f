const FIGURE = /^\s*([+-]?\d*\.?\d+)\s*(.*)$/

/** What is typed, with the unit that its display has where none was written: `33` is `33 kPa`. */
export function withUnit(typed: string, step: string): string {
  const [, number, unit] = FIGURE.exec(typed) ?? []
  const [, , stepUnit] = FIGURE.exec(step) ?? []
  return number !== undefined && unit === '' && stepUnit ? `${number} ${stepUnit}` : typed.trim()
}

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
