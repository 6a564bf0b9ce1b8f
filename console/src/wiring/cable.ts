/** A cable as its product describes it, and what came of its nets. */
import type { Attempt, Reading } from '../api/client'

type Fault = Attempt['faults'][number]

export interface Connector {
  code: string
  title?: string
  side?: 'left' | 'right'
  rows: string[][]
}

export interface Net {
  name: string
  contacts: string[]
  colour?: string
  cross_section?: string
  length?: string
  resistance?: string
  minimum?: string
  maximum?: string
}

export interface Part {
  name: string
  sort: 'resistor' | 'capacitor' | 'diode'
  between: [string, string]
  value: string
  tolerance?: string
}

export interface Position {
  code: string
  title?: string
  nets: Net[]
}

export interface Cable {
  connectors: Connector[]
  nets: Net[]
  shields: Net[]
  parts: Part[]
  pairs: [string, string][]
  positions: Position[]
}

/** The cable in a product's document; null where it describes no connectors. */
export function cableOf(product: Record<string, unknown>): Cable | null {
  const section = product.cable as Partial<Cable> | null | undefined
  if (!section?.connectors?.length) return null
  return {
    connectors: section.connectors,
    nets: section.nets ?? [],
    shields: section.shields ?? [],
    parts: section.parts ?? [],
    pairs: section.pairs ?? [],
    positions: section.positions ?? [],
  }
}

/** Its nets in one position of its switch, shields last. */
export function netsIn(cable: Cable, position: string): Net[] {
  const own = cable.positions.find((each) => each.code === position)?.nets ?? []
  return [...cable.nets, ...own, ...cable.shields]
}

/** A net with what each step read of it, and what is wrong with it. */
export interface NetRow {
  net: Net
  /** A shield, a component between its two contacts, or nothing of the kind. */
  sort: '' | 'shield' | Part['sort']
  /** At low voltage, with insulation volts, withstand with DC and with AC. */
  low?: Reading
  insulation?: Reading
  dc?: Reading
  ac?: Reading
  faults: Fault[]
  verdict: string
}

export const COLUMNS = ['low', 'insulation', 'dc', 'ac'] as const
const GRAVITY = ['fail', 'inconclusive', 'not_run', 'pass', '']

/** The nets of a position with the latest readings of each, those that are wrong first. */
export function netRows(cable: Cable, position: string, attempts: Attempt[]): NetRow[] {
  const latest = [...new Map(attempts.map((each) => [each.step_id, each])).values()]
  const shields = new Set(cable.shields.map((each) => each.name))
  const parts = new Set(cable.parts.map((each) => each.name))
  const things: Pick<NetRow, 'net' | 'sort'>[] = [
    ...netsIn(cable, position).map((net) => ({
      net,
      sort: shields.has(net.name) ? ('shield' as const) : ('' as const),
    })),
    ...cable.parts.map(({ name, sort, between, value }) => ({
      net: { name, contacts: [...between], colour: value },
      sort,
    })),
  ]
  const rows = things.map((thing) => {
    const row: NetRow = { ...thing, faults: [], verdict: '' }
    for (const attempt of latest) takeIn(row, attempt, position, parts)
    return row
  })
  return rows.sort((a, b) => gravity(a) - gravity(b))
}

function gravity(row: NetRow): number {
  return GRAVITY.indexOf(row.verdict)
}

function takeIn(row: NetRow, attempt: Attempt, position: string, parts: ReadonlySet<string>): void {
  const own = attempt.readings.filter((each) => isOf(each.point, row.net.name, position))
  const column = columnOf(attempt, own)
  if (column !== null) {
    const judged = own.filter((each) => each.verdict !== '')
    const told = judged.find((each) => each.verdict !== 'pass') ?? judged[0] ?? own[0]
    if (told !== undefined) row[column] = told
    for (const each of judged) row.verdict = graver(row.verdict, each.verdict)
  }
  const touched = new Set(row.net.contacts)
  const found = attempt.faults.filter((each) => {
    if (parts.has(bareOf(each.point))) return bareOf(each.point) === row.net.name
    if (parts.has(row.net.name)) return false // a net that it hangs on is to blame
    return (
      each.contacts.some((contact) => touched.has(contact)) ||
      isOf(each.point, row.net.name, position)
    )
  })
  if (found.length > 0) row.verdict = 'fail'
  row.faults.push(...found)
}

function graver(one: string, other: string): string {
  return GRAVITY.indexOf(other) < GRAVITY.indexOf(one) ? other : one
}

/** Which column an attempt fills, by its kind; none where it says nothing of nets. */
function columnOf(attempt: Attempt, own: Reading[]): (typeof COLUMNS)[number] | null {
  if (attempt.kind === 'wiring' || attempt.kind === 'continuity') return 'low'
  if (attempt.kind === 'insulation') return 'insulation'
  if (attempt.kind !== 'withstand') return null
  return own.some((each) => each.quantity === 'resistive_current') ? 'ac' : 'dc'
}

/** A point without the position that it was seen in. */
export function bareOf(point: string): string {
  const colon = point.indexOf(': ')
  return colon < 0 ? point : point.slice(colon + 2)
}

/** Whether a point is a net, a branch of it, or nets that a component ties together. */
export function isOf(point: string, name: string, position: string): boolean {
  const own = position !== '' && point.startsWith(`${position}: `)
  if (!own && position !== '' && point.includes(': ')) return false
  const bare = own ? point.slice(position.length + 2) : point
  return bare === name || bare.startsWith(`${name} `) || `+${bare}+`.includes(`+${name}+`)
}

/** Every fault of the latest attempts, each once. */
export function faultsOf(attempts: Attempt[]): Fault[] {
  const latest = [...new Map(attempts.map((each) => [each.step_id, each])).values()]
  const found = latest.flatMap((each) => each.faults)
  return [...new Map(found.map((each) => [`${each.cause} ${each.text}`, each])).values()]
}
