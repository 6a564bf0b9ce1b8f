import { plain, type Schema, shown, type Value } from '../forms/schema'

export interface Step extends Value {
  id: string
  kind: string
  title?: string
  off?: boolean
  settings?: Value
  limits?: Record<string, Value>
}

export interface SequenceDocument extends Value {
  code: string
  title: string
  product: string
  line?: Value
  steps: Step[]
}

/** An id that no step has yet: the kind, or the kind with the first free number. */
export function freeId(steps: Step[], wanted: string): string {
  const taken = new Set(steps.map((step) => step.id))
  if (!taken.has(wanted)) return wanted
  let number = 2
  while (taken.has(`${wanted}-${number}`)) number += 1
  return `${wanted}-${number}`
}

/** Put a step in after the selected one; first in an empty sequence, last without a selection. */
export function addAfter(steps: Step[], selected: string, step: Step): Step[] {
  const own = { ...step, id: freeId(steps, step.id) }
  const at = steps.findIndex((each) => each.id === selected)
  return at < 0 ? [...steps, own] : [...steps.slice(0, at + 1), own, ...steps.slice(at + 1)]
}

/** Move a step to another place; others keep their order. */
export function move(steps: Step[], id: string, to: number): Step[] {
  const step = steps.find((each) => each.id === id)
  if (step === undefined) return steps
  const rest = steps.filter((each) => each.id !== id)
  const place = Math.max(0, Math.min(to, rest.length))
  return [...rest.slice(0, place), step, ...rest.slice(place)]
}

/** Replace a step, whatever its new id is. */
export function replace(steps: Step[], id: string, step: Step): Step[] {
  return steps.map((each) => (each.id === id ? step : each))
}

/** The step to select when one goes: the one after it, or before it at the end. */
export function neighbour(steps: Step[], id: string): string {
  const at = steps.findIndex((each) => each.id === id)
  return (steps[at + 1] ?? steps[at - 1])?.id ?? ''
}

/** A step with one value written at the end of a way of keys and places; what lacks is made. */
export function written(step: Step, way: (string | number)[], value: string): Step {
  return writtenIn(step, way, value) as Step
}

function writtenIn(place: unknown, [key, ...rest]: (string | number)[], value: string): unknown {
  if (key === undefined) return value
  if (Array.isArray(place)) {
    return place.map((each, at) => (at === key ? writtenIn(each, rest, value) : each))
  }
  const own = (place ?? {}) as Value
  return { ...own, [key]: writtenIn(own[key], rest, value) }
}

interface KindSchema {
  settings: Schema
  limits: string[]
  needed: string[]
}

/** The settings of a kind, the readings that it can limit, and those that must be. */
export function kindSchema(schema: Schema, kind: string): KindSchema {
  const defs = schema.$defs ?? {}
  const step = defs.Step as Schema & { allOf?: Variant[] }
  const variant = step.allOf?.find((each) => each.if.properties.kind.const === kind)
  return {
    settings: plain(defs[`${kind}_settings`] ?? {}, defs),
    limits: variant?.then.properties.limits.propertyNames.enum ?? [],
    needed: variant?.then.properties.limits.required ?? [],
  }
}

/** A step's level, time and limits in one line each: `1.03 kV for 1 s`, `current 0.4 mA to 5 mA`. */
export function glance(step: Step, schema: Schema): { level: string; limits: string } {
  const fields = kindSchema(schema, step.kind).settings.properties ?? {}
  const { settings = {} } = step
  const written = (name: string) => shown(settings[name] ?? fields[name]?.default)
  const formatOf = (name: string) => plain(fields[name] ?? {}, schema.$defs ?? {}).format
  const level = Object.keys(fields).find((name) =>
    ['voltage', 'current'].includes(formatOf(name) ?? ''),
  )
  const parts = [level ? written(level) : '', fields.dwell ? `for ${written('dwell')}` : '']
  const limits = Object.entries(step.limits ?? {}).map(
    ([quantity, { minimum, maximum, source }]) =>
      `${quantity.replaceAll('_', ' ')} ${span(shown(minimum), shown(maximum)) || `as ${shown(source)}`}`,
  )
  return { level: parts.filter(Boolean).join(' '), limits: limits.join(', ') }
}

function span(low: string, high: string): string {
  if (low && high) return `${low} to ${high}`
  return low ? `≥ ${low}` : high ? `≤ ${high}` : ''
}

interface Variant {
  if: { properties: { kind: { const: string } } }
  then: { properties: { limits: { propertyNames: { enum: string[] }; required?: string[] } } }
}
