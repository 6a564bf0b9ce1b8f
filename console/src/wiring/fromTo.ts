/** A cable's nets, shields and components as lines from contact to contact, and back. */
import type { Value } from '../forms/schema'

export const COLUMNS = [
  'sort',
  'name',
  'from',
  'to',
  'colour',
  'cross_section',
  'length',
  'resistance',
  'minimum',
  'maximum',
  'value',
  'tolerance',
  'position',
] as const
export type Column = (typeof COLUMNS)[number]
export type Line = Partial<Record<Column, string>>

const OF_NET: Column[] = ['colour', 'cross_section', 'length', 'resistance', 'minimum', 'maximum']
const PARTS = ['resistor', 'capacitor', 'diode']

interface Entry extends Value {
  name?: string
  contacts?: string[]
  between?: string[]
}

/** The lines of a section; a net of more than two contacts takes several. */
export function linesOf(section: Value): Line[] {
  const found: Line[] = []
  const ofNet = (sort: string, entry: Entry, position: string) => {
    const [from = '', ...others] = entry.contacts ?? []
    const ends = others.length > 0 ? others : ['']
    ends.forEach((to, place) => {
      const line: Line = { sort, name: entry.name ?? '', from, to }
      if (position !== '') line.position = position
      if (place === 0) for (const name of OF_NET) if (entry[name]) line[name] = String(entry[name])
      found.push(line)
    })
  }
  for (const entry of entries(section.nets)) ofNet('wire', entry, '')
  for (const position of entries(section.positions)) {
    for (const entry of entries(position.nets)) ofNet('wire', entry, String(position.code ?? ''))
  }
  for (const entry of entries(section.shields)) ofNet('shield', entry, '')
  for (const part of entries(section.parts)) {
    const [from = '', to = ''] = part.between ?? []
    const line: Line = { sort: String(part.sort ?? 'resistor'), name: part.name ?? '', from, to }
    for (const name of ['value', 'tolerance'] as const) {
      if (part[name]) line[name] = String(part[name])
    }
    found.push(line)
  }
  return found
}

function entries(value: unknown): Entry[] {
  return (value as Entry[] | undefined) ?? []
}

/** A section with the lines in place of what it had, and the line of each of its paths. */
export function withLines(
  section: Value,
  lines: Line[],
): { section: Value; at: Map<string, number> } {
  const nets = new Map<string, { sort: string; position: string; entry: Entry; line: number }>()
  const parts: { entry: Entry; line: number }[] = []
  lines.forEach((line, index) => {
    if (isEmpty(line)) return
    const { sort = 'wire', name = '', from = '', to = '', position = '' } = line
    if (PARTS.includes(sort)) {
      const entry: Entry = { name, sort, between: [from, to] }
      for (const each of ['value', 'tolerance'] as const) if (line[each]) entry[each] = line[each]
      parts.push({ entry, line: index })
      return
    }
    const key = name === '' ? `line ${index}` : `${position} ${sort} ${name}`
    const known = nets.get(key) ?? { sort, position, entry: { name, contacts: [] }, line: index }
    for (const contact of [from, to]) {
      if (contact !== '' && !known.entry.contacts?.includes(contact)) {
        known.entry.contacts?.push(contact)
      }
    }
    const own = sort === 'shield' ? (['maximum'] as const) : OF_NET
    for (const each of own) if (line[each]) known.entry[each] = line[each]
    nets.set(key, known)
  })
  const at = new Map<string, number>()
  const all = [...nets.values()]
  const put = (list: string, found: { entry: Entry; line: number }[]) => {
    found.forEach(({ line }, index) => {
      at.set(`${list}[${index}]`, line)
    })
    return found.map(({ entry }) => entry)
  }
  const titled = new Map(entries(section.positions).map((each) => [String(each.code), each]))
  const codes = [
    ...new Set([...titled.keys(), ...all.map((each) => each.position).filter(Boolean)]),
  ]
  const { nets: _n, shields: _s, parts: _p, positions: _o, ...rest } = section
  const made: Value = {
    ...rest,
    nets: put(
      'nets',
      all.filter((each) => each.sort !== 'shield' && each.position === ''),
    ),
    shields: put(
      'shields',
      all.filter((each) => each.sort === 'shield'),
    ),
    parts: put('parts', parts),
    positions: codes.map((code, index) => ({
      ...(titled.get(code) ?? { code }),
      nets: put(
        `positions[${index}].nets`,
        all.filter((each) => each.sort !== 'shield' && each.position === code),
      ),
    })),
  }
  for (const name of ['nets', 'shields', 'parts', 'positions']) {
    if ((made[name] as unknown[]).length === 0) delete made[name]
  }
  return { section: made, at }
}

export function isEmpty(line: Line): boolean {
  return COLUMNS.every((name) => name === 'sort' || !line[name])
}

/** What a spreadsheet put on the clipboard: rows of cells. */
export function cellsOf(text: string): string[][] {
  const rows = text.replace(/\r\n?/g, '\n').replace(/\n$/, '').split('\n')
  return rows.map((row) => row.split('\t').map((cell) => cell.trim()))
}

/** Lines with a block of cells put in from a place on; there are as many lines after it as needed. */
export function pasted(lines: Line[], row: number, column: number, cells: string[][]): Line[] {
  const next = [...lines]
  cells.forEach((values, down) => {
    const line = { ...(next[row + down] ?? {}) }
    values.forEach((value, right) => {
      const name = COLUMNS[column + right]
      if (name !== undefined) line[name] = value
    })
    next[row + down] = line
  })
  return next
}

/** What was found wrong, by line and column: a path of the document is that of a cell. */
export function cellFindings(
  findings: { field: string; message: string }[],
  at: Map<string, number>,
): Map<string, string> {
  const found = new Map<string, string>()
  for (const { field, message } of findings) {
    const matched =
      /^cable\.((?:positions\[\d+\]\.)?(?:nets|shields|parts)\[\d+\])(?:\.(\w+)(?:\[(\d+)\])?)?/.exec(
        field,
      )
    const line = matched?.[1] === undefined ? undefined : at.get(matched[1])
    if (matched === null || line === undefined) continue
    const [, , name = 'name', index] = matched
    const isContact = name === 'contacts' || name === 'between'
    const column = isContact ? (index === '0' ? 'from' : 'to') : name
    const place = isContact && index !== undefined ? line + Math.max(0, Number(index) - 1) : line
    found.set(`${place} ${column}`, message)
  }
  return found
}
