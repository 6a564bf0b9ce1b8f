/** Where everything of a cable is drawn: contacts in columns at both sides, wires between. */
import type { Attempt } from '../api/client'
import { type Cable, type Net, netsIn } from './cable'

type Fault = Attempt['faults'][number]

export interface Place {
  x: number
  y: number
}

export interface Plug {
  code: string
  title: string
  side: 'left' | 'right'
  x: number
  y: number
  width: number
  height: number
}

export interface Wire {
  net: Net
  isShield: boolean
  path: string
  /** Where it can be broken or marked. */
  middle: Place
  /** The end that is not joined, where it is open there. */
  isOpen: boolean
}

/** What a fault looks like: a bridge between two contacts, or a wire that ends elsewhere. */
export interface Mark {
  sort: 'bridge' | 'crossed' | 'unplugged'
  path: string
  middle: Place
  contacts: string[]
}

export interface Drawing {
  width: number
  height: number
  plugs: Plug[]
  contacts: Map<string, Place & { side: 'left' | 'right'; name: string }>
  wires: Wire[]
  parts: { name: string; path: string; middle: Place; text: string }[]
  marks: Mark[]
}

export const LINE = 20
const GAP = 8
const BETWEEN = 26
const HEAD = 30
const PLUG = 96
const WIDTH = 640

export function drawingOf(cable: Cable, position: string, faults: Fault[]): Drawing {
  const contacts: Drawing['contacts'] = new Map()
  const plugs: Plug[] = []
  const bottom = { left: 0, right: 0 }
  for (const connector of cable.connectors) {
    const side = connector.side ?? 'left'
    const x = side === 'left' ? 0 : WIDTH - PLUG
    const top = bottom[side] === 0 ? 0 : bottom[side] + BETWEEN
    let y = top + HEAD
    for (const row of connector.rows) {
      for (const name of row) {
        const end = { x: side === 'left' ? PLUG : WIDTH - PLUG, y: y + LINE / 2 }
        contacts.set(`${connector.code}:${name}`, { ...end, side, name })
        y += LINE
      }
      y += GAP
    }
    const height = y - top
    plugs.push({
      code: connector.code,
      title: connector.title ?? '',
      side,
      x,
      y: top,
      width: PLUG,
      height,
    })
    bottom[side] = top + height
  }
  const open = new Set(
    faults.filter((each) => each.cause === 'open').flatMap((each) => each.contacts.slice(1)),
  )
  const crossed = new Set(
    faults.filter((each) => each.cause === 'swapped').flatMap((each) => each.contacts),
  )
  const shields = new Set(cable.shields.map((each) => each.name))
  const wires = netsIn(cable, position).flatMap((net) =>
    net.contacts.slice(1).flatMap((contact) => {
      const [from, to] = [contacts.get(net.contacts[0] ?? ''), contacts.get(contact)]
      if (from === undefined || to === undefined) return []
      if (net.contacts.some((each) => crossed.has(each))) return []
      const isOpen = open.has(contact)
      const isShield = shields.has(net.name)
      return [{ net, isShield, path: pathOf(from, to), middle: middleOf(from, to), isOpen }]
    }),
  )
  return {
    width: WIDTH,
    height: Math.max(bottom.left, bottom.right) + GAP,
    plugs,
    contacts,
    wires,
    parts: cable.parts.flatMap((part) => {
      const [a, b] = part.between.map((each) => contacts.get(each))
      if (a === undefined || b === undefined) return []
      const text = `${part.name} ${part.value}`
      return [{ name: part.name, path: pathOf(a, b, 34), middle: middleOf(a, b, 34), text }]
    }),
    marks: faults.flatMap((fault) => marksOf(fault, cable, position, contacts, plugs)),
  }
}

/** A line from one contact to another: across, or out and back where both are on one side. */
function pathOf(
  from: Place & { side?: string },
  to: Place & { side?: string },
  reach = 60,
): string {
  if (from.side !== to.side) {
    const bend = (to.x - from.x) / 3
    return `M${from.x} ${from.y} C${from.x + bend} ${from.y} ${to.x - bend} ${to.y} ${to.x} ${to.y}`
  }
  const out = from.x + (from.side === 'left' ? reach : -reach)
  return `M${from.x} ${from.y} C${out} ${from.y} ${out} ${to.y} ${to.x} ${to.y}`
}

function middleOf(
  from: Place & { side?: string },
  to: Place & { side?: string },
  reach = 60,
): Place {
  const y = (from.y + to.y) / 2
  if (from.side !== to.side) return { x: (from.x + to.x) / 2, y }
  return { x: from.x + (from.side === 'left' ? reach : -reach) * 0.75, y }
}

function marksOf(
  fault: Fault,
  cable: Cable,
  position: string,
  contacts: Drawing['contacts'],
  plugs: Plug[],
): Mark[] {
  const [first, second] = fault.contacts
  const [a, b] = [contacts.get(first ?? ''), contacts.get(second ?? '')]
  if (fault.cause === 'no_contact') {
    const plug = plugs.find((each) => first?.startsWith(`${each.code}:`))
    if (plug === undefined) return []
    const path = `M${plug.x} ${plug.y} h${plug.width} v${plug.height} h${-plug.width} z`
    const inward = plug.side === 'left' ? plug.x + plug.width + 8 : plug.x - 8
    const middle = { x: inward, y: plug.y + 19 }
    return [{ sort: 'unplugged', path, middle, contacts: fault.contacts }]
  }
  if (a === undefined || b === undefined) return []
  if (fault.cause === 'swapped') {
    return crossingsOf(first ?? '', second ?? '', cable, position, contacts)
  }
  if (!['short', 'breakdown', 'arc', 'under_limit'].includes(fault.cause)) return []
  const reach = 26
  return [
    {
      sort: 'bridge',
      path: pathOf(a, b, reach),
      middle: middleOf(a, b, reach),
      contacts: [first ?? '', second ?? ''],
    },
  ]
}

/** The wires of two contacts that are exchanged, each to where it really ends. */
function crossingsOf(
  first: string,
  second: string,
  cable: Cable,
  position: string,
  contacts: Drawing['contacts'],
): Mark[] {
  const places: Record<string, string> = { [first]: second, [second]: first }
  return netsIn(cable, position).flatMap((net) => {
    const moved = net.contacts.find((each) => each in places)
    const other = net.contacts.find((each) => each !== moved)
    if (moved === undefined || other === undefined) return []
    const [from, to] = [contacts.get(other), contacts.get(places[moved] ?? '')]
    if (from === undefined || to === undefined) return []
    return [
      {
        sort: 'crossed' as const,
        path: pathOf(from, to),
        middle: middleOf(from, to),
        contacts: [other, places[moved] ?? ''],
      },
    ]
  })
}
