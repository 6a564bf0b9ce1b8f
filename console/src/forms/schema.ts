/** The part of JSON Schema that our documents use. */
export interface Schema {
  $ref?: string
  $defs?: Record<string, Schema>
  anyOf?: Schema[]
  type?: string
  const?: unknown
  enum?: (string | number)[]
  title?: string
  description?: string
  format?: string
  default?: unknown
  examples?: unknown[]
  items?: Schema
  properties?: Record<string, Schema>
  required?: string[]
  'x-units'?: Units
  'x-where'?: Record<string, string>
  /** What has a table of its own beside the form. */
  'x-table'?: boolean
}

/** Of each spelling what it is times in SI, and what is added before: as the service has them. */
export type Units = Record<string, [times: number, offset: number]>

export type Value = Record<string, unknown>

/** What a field is shown as. */
export type Shape =
  | 'choice'
  | 'choices'
  | 'flag'
  | 'words'
  | 'lines'
  | 'rows'
  | 'number'
  | 'text'
  | 'group'

/** Follow a reference, and take the null out of what may be left out; titles are kept. */
export function plain(schema: Schema, defs: Record<string, Schema>): Schema {
  if (schema.$ref !== undefined) {
    const name = schema.$ref.split('/').at(-1) ?? ''
    const { $ref: _, ...own } = schema
    return plain({ ...defs[name], ...own }, defs)
  }
  if (schema.anyOf !== undefined) {
    const { anyOf, ...own } = schema
    const kept = anyOf.find((each) => each.type !== 'null') ?? {}
    return plain({ ...kept, ...own }, defs)
  }
  return schema
}

/** Which shape a plain schema has. */
export function shapeOf(schema: Schema, defs: Record<string, Schema>): Shape {
  if (schema.enum !== undefined) return 'choice'
  if (schema.type === 'boolean') return 'flag'
  if (schema.type === 'integer' || schema.type === 'number') return 'number'
  if (schema.type === 'object') return 'group'
  if (schema.type !== 'array') return 'text'
  const item = plain(schema.items ?? {}, defs)
  if (item.enum !== undefined) return 'choices'
  if (item.type === 'array' && item.title === undefined) return 'lines'
  return item.properties === undefined ? 'words' : 'rows'
}

/** A value as it stands in a field. */
export function shown(value: unknown): string {
  if (value === undefined || value === null) return ''
  return Array.isArray(value) ? value.join(', ') : String(value)
}

/** What was typed as a list: entries between commas, spaces around them dropped. */
export function words(text: string): string[] {
  return text
    .split(',')
    .map((each) => each.trim())
    .filter((each) => each !== '')
}

/** What was typed as lists line by line: entries between commas or spaces. */
export function lines(text: string): string[][] {
  return text
    .split('\n')
    .map((line) => line.split(/[\s,]+/).filter((each) => each !== ''))
    .filter((line) => line.length > 0)
}

/** Put a field's value in, or take it out when it is empty or what it would be anyway. */
export function put(value: Value, name: string, given: unknown): Value {
  const { [name]: _, ...rest } = value
  const isEmpty =
    given === undefined ||
    given === '' ||
    (typeof given === 'object' && given !== null && Object.keys(given).length === 0)
  return isEmpty ? rest : { ...value, [name]: given }
}

/** Whether a property is for this document: what is only for some is shown for those, or if it is there. */
export function isForThis(schema: Schema, name: string, value: Value): boolean {
  if (schema.properties?.[name]?.['x-table']) return false
  const where = Object.entries(schema.properties?.[name]?.['x-where'] ?? {})
  return value[name] !== undefined || where.every(([other, wanted]) => value[other] === wanted)
}

/** Whether a field departs from a default that says something. */
export function departs(value: unknown, schema: Schema): boolean {
  if (value === undefined || value === null || shown(schema.default) === '') return false
  if (typeof value === 'string' && typeof schema.default === 'string') {
    return !isSameQuantity(value, schema.default, schema['x-units'] ?? {})
  }
  return JSON.stringify(value) !== JSON.stringify(schema.default)
}

/** Whether two texts are the same, or the same quantity written otherwise: 0.5 s and 500 ms. */
export function isSameQuantity(one: string, other: string, units: Units): boolean {
  if (one.trim() === other) return true
  const a = inSi(one, units)
  const b = inSi(other, units)
  return a !== undefined && b !== undefined && Math.abs(a - b) <= 1e-9 * Math.abs(b)
}

function inSi(text: string, units: Units): number | undefined {
  const parts = /^([+-]?[\d.]+(?:[eE][+-]?\d+)?)\s?(\S*)$/.exec(text.trim())
  const unit = units[parts?.[2] ?? '']
  return parts === null || unit === undefined ? undefined : (Number(parts[1]) + unit[1]) * unit[0]
}
