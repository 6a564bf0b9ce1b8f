interface Formula {
  base: string
  add: string
  per: string
  of: string
  beyond?: string
  begun?: boolean
  at_least?: string
  at_most?: string
}

export interface Item {
  id: string
  clause: string
  applies?: string
  kind?: string
  minimum?: string
  maximum?: string
  minimum_by?: Formula
  maximum_by?: Formula
  least?: Record<string, string>
  least_by?: Record<string, Formula>
  most?: Record<string, string>
  variant?: Record<string, string[]>
}

/** A formula in words: `0.3 Ω + 0.1 Ω per 7.5 m of cord length begun beyond 5 m, at most 1 Ω`. */
export function formulaText(formula: Formula): string {
  const parts = [`${formula.base} + ${formula.add} per ${formula.per}`]
  parts.push(`of ${formula.of.replaceAll('_', ' ')}`)
  if (formula.begun) parts.push('begun')
  if (formula.beyond) parts.push(`beyond ${formula.beyond}`)
  let text = parts.join(' ')
  if (formula.at_least) text += `, at least ${formula.at_least}`
  if (formula.at_most) text += `, at most ${formula.at_most}`
  return text
}

/** An item's limit in words. */
export function figureOf(item: Item): string {
  const low = item.minimum_by ? formulaText(item.minimum_by) : item.minimum
  const high = item.maximum_by ? formulaText(item.maximum_by) : item.maximum
  if (low && high) return `${low} to ${high}`
  if (low) return `≥ ${low}`
  return high ? `≤ ${high}` : ''
}

/** What the step and its test must be for the item to count, in words. */
export function testOf(item: Item): string {
  const variant = Object.entries(item.variant ?? {}).map(
    ([name, wanted]) => `${name} ${wanted.join(' or ')}`,
  )
  const least = Object.entries(item.least ?? {}).map(([name, edge]) => `${name} at least ${edge}`)
  const grown = Object.entries(item.least_by ?? {}).map(
    ([name, formula]) => `${name} at least ${formulaText(formula)}`,
  )
  const most = Object.entries(item.most ?? {}).map(([name, edge]) => `${name} at most ${edge}`)
  return [...variant, ...least, ...grown, ...most].join('; ').replaceAll('_', ' ')
}
