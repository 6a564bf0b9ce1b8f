/** A capture as what is to be drawn of it, each thing as it stands now. */
import type { Schemas } from '../api/client'
import type { Cable, Net, NetRow, Part } from '../wiring/cable'

export type Captured = Schemas['CaptureOut']
export type Item = Captured['items'][number]

/** What an item is as it stands: what is proposed, and what somebody changed of it. */
export function entryOf(item: Item): Record<string, string> {
  return { ...item.proposed, ...item.changes }
}

/** The cable that the capture would become; what is refused is left out. */
export function cableOfCapture(captured: Captured): Cable {
  const names = new Map<string, string[]>()
  for (const contact of captured.contacts) {
    const [code = '', ...rest] = contact.split(':')
    names.set(code, [...(names.get(code) ?? []), rest.join(':')])
  }
  const taken = captured.items.filter((each) => each.standing !== 'refused')
  const nets = taken.filter((each) => each.sort === 'net')
  const isShield = (item: Item) => entryOf(item).shield === 'yes'
  return {
    connectors: [...names].map(([code, row], place) => ({
      code,
      side: place === 0 ? 'left' : 'right',
      rows: [row],
    })),
    nets: nets.filter((each) => each.position === '' && !isShield(each)).map(asNet),
    shields: nets.filter(isShield).map(asNet),
    parts: taken.filter((each) => each.sort !== 'net').map(asPart),
    pairs: [],
    positions: captured.positions.map((code) => ({
      code,
      nets: nets.filter((each) => each.position === code).map(asNet),
    })),
  }
}

function asNet(item: Item): Net {
  const entry = entryOf(item)
  return { ...entry, name: entry.name ?? item.name, contacts: item.contacts }
}

function asPart(item: Item): Part {
  const entry = entryOf(item)
  const [a = '', b = ''] = item.contacts
  return {
    name: entry.name ?? item.name,
    sort: item.sort as Part['sort'],
    between: [a, b],
    value: entry.value ?? '',
  }
}

/** The rows of a drawing with those marked in which units differ. */
export function markedRows(rows: NetRow[], captured: Captured): NetRow[] {
  const differing = new Set(
    captured.items
      .filter((each) => each.differs.length > 0 && each.standing === 'open')
      .map((each) => entryOf(each).name ?? each.name),
  )
  return rows.map((row) => (differing.has(row.net.name) ? { ...row, verdict: 'fail' } : row))
}

/** What of an entry was typed anew; nothing where it is as proposed. */
export function changesOf(item: Item, typed: Record<string, string>): Record<string, string> {
  const found = Object.entries({ ...item.changes, ...typed }).filter(
    ([field, value]) => value.trim() !== (item.proposed[field] ?? ''),
  )
  return Object.fromEntries(found.map(([field, value]) => [field, value.trim()]))
}

/** Those that nobody has decided first, then in the order of their contacts. */
export function inOrder(items: Item[]): Item[] {
  const gravity = (item: Item) => (item.standing !== 'open' ? 2 : item.differs.length > 0 ? 0 : 1)
  return [...items].sort((a, b) => gravity(a) - gravity(b))
}

export interface DrawnWinding {
  name: string
  start: string
  end: string
  resistance: string
  isWrong: boolean
}

/** The windings that the capture would become; what is refused is left out. */
export function windingsOfCapture(captured: Captured): DrawnWinding[] {
  return captured.items
    .filter((each) => each.sort === 'winding' && each.standing !== 'refused')
    .map((each) => {
      const { name = each.name, start = '', end = '', resistance = '' } = entryOf(each)
      const isWrong = each.standing === 'open' && each.differs.length > 0
      return { name, start, end, resistance, isWrong }
    })
}

/** The pins in their order, without those that were refused. */
export function pinsOfCapture(captured: Captured): string[] {
  const refused = captured.items
    .filter((each) => each.sort === 'pin' && each.standing === 'refused')
    .flatMap((each) => each.contacts)
  return captured.contacts.filter((each) => !refused.includes(each))
}
