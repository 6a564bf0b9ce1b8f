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
  const told = latest.map((attempt) => toldBy(attempt, position, parts))
  const rows = things.map((thing) => {
    const row: NetRow = { ...thing, faults: [], verdict: '' }
    for (const each of told) takeIn(row, each)
    return row
  })
  return rows.sort((a, b) => gravity(a) - gravity(b))
}

function gravity(row: NetRow): number {
  return GRAVITY.indexOf(row.verdict)
}

/** What an attempt says, by net and by contact: looked through once, not once for every net. */
interface Told {
  attempt: Attempt
  readings: Map<string, Reading[]>
  faults: Fault[]
  /** Where in the faults those of a contact, of a net, of a component stand. */
  ofContact: Map<string, number[]>
  ofNet: Map<string, number[]>
  ofPart: Map<string, number[]>
  parts: ReadonlySet<string>
}

function toldBy(attempt: Attempt, position: string, parts: ReadonlySet<string>): Told {
  const told: Told = {
    attempt,
    readings: new Map(),
    faults: attempt.faults,
    ofContact: new Map(),
    ofNet: new Map(),
    ofPart: new Map(),
    parts,
  }
  for (const each of attempt.readings) {
    for (const name of netsOf(each.point, position)) put(told.readings, name, each)
  }
  attempt.faults.forEach((each, at) => {
    const bare = bareOf(each.point)
    if (parts.has(bare)) {
      put(told.ofPart, bare, at)
      return
    }
    for (const contact of each.contacts) put(told.ofContact, contact, at)
    for (const name of netsOf(each.point, position)) put(told.ofNet, name, at)
  })
  return told
}

function put<Thing>(into: Map<string, Thing[]>, key: string, thing: Thing): void {
  const there = into.get(key)
  if (there === undefined) into.set(key, [thing])
  else there.push(thing)
}

function takeIn(row: NetRow, told: Told): void {
  const own = told.readings.get(row.net.name) ?? []
  const column = columnOf(told.attempt, own)
  if (column !== null) {
    const judged = own.filter((each) => each.verdict !== '')
    const shown = judged.find((each) => each.verdict !== 'pass') ?? judged[0] ?? own[0]
    if (shown !== undefined) row[column] = shown
    for (const each of judged) row.verdict = graver(row.verdict, each.verdict)
  }
  // Of a component only its own faults; a net that it hangs on is to blame for the others.
  const places = told.parts.has(row.net.name)
    ? (told.ofPart.get(row.net.name) ?? [])
    : [
        ...(told.ofNet.get(row.net.name) ?? []),
        ...row.net.contacts.flatMap((each) => told.ofContact.get(each) ?? []),
      ]
  const found = [...new Set(places)].sort((a, b) => a - b).flatMap((at) => told.faults[at] ?? [])
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

/** The nets that a point may be of: the net itself, a branch of it, or nets tied together. */
export function netsOf(point: string, position: string): Set<string> {
  const own = position !== '' && point.startsWith(`${position}: `)
  if (!own && position !== '' && point.includes(': ')) return new Set()
  const bare = own ? point.slice(position.length + 2) : point
  const found = new Set([bare])
  const ties = bare.split('+') // a net may have a plus in its name, such as +24V
  for (let from = 0; ties.length > 1 && from < ties.length; from += 1) {
    for (let to = from + 1; to <= ties.length; to += 1) found.add(ties.slice(from, to).join('+'))
  }
  for (let at = bare.indexOf(' '); at >= 0; at = bare.indexOf(' ', at + 1)) {
    found.add(bare.slice(0, at))
  }
  return found
}

/** Every fault of the latest attempts, each once. */
export function faultsOf(attempts: Attempt[]): Fault[] {
  const latest = [...new Map(attempts.map((each) => [each.step_id, each])).values()]
  const found = latest.flatMap((each) => each.faults)
  return [...new Map(found.map((each) => [`${each.cause} ${each.text}`, each])).values()]
}
