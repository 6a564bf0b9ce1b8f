import type { Schemas } from '../api/client'
import type { paths } from '../api/schema'

export type Asked = NonNullable<paths['/api/v1/unit-counts']['get']['parameters']['query']>
export type Names = Schemas['UnitNames']

export interface Field {
  name: keyof Asked & string
  label: string
  /** What may be picked, by the list of names that has it; else it is typed alone. */
  names?: keyof Names
  /** What may be chosen, where that is all there is. */
  choices?: [string, string][]
  hint?: string
  isFlag?: boolean
  isNumber?: boolean
}

const TIME = '2026-11-26, or 7d'

/** What a search can be narrowed by, the usual ones first. */
export const FIELDS: Field[] = [
  { name: 'product', label: 'Product', names: 'product' },
  { name: 'lot', label: 'Lot', hint: 'L-26*' },
  { name: 'since', label: 'From', hint: TIME },
  { name: 'until', label: 'Until', hint: TIME },
  { name: 'failed', label: 'Failed step', names: 'failed' },
  { name: 'cause', label: 'Cause', names: 'cause' },
  { name: 'operator', label: 'Started by', names: 'operator' },
  { name: 'fixture', label: 'Fixture', names: 'fixture' },
  { name: 'nest', label: 'Nest', names: 'nest' },
  { name: 'since_renewal', label: 'Since its contacts were renewed', isFlag: true },
  { name: 'instrument', label: 'Measured by', names: 'instrument', hint: 'id or serial' },
  { name: 'sequence', label: 'Sequence', names: 'sequence' },
  { name: 'revision', label: 'Sequence revision', isNumber: true },
  { name: 'limit_set', label: 'Limit set', names: 'limit_set' },
  { name: 'limit_revision', label: 'Limit revision', isNumber: true },
  { name: 'said', label: 'Remark or note', hint: 'a word, or wor*' },
  { name: 'place', label: 'Place', names: 'place' },
  { name: 'bench', label: 'Bench' },
  {
    name: 'occasion',
    label: 'Occasion',
    choices: [
      ['production', 'Production'],
      ['acceptance', 'Acceptance'],
      ['recurrent', 'Recurrent'],
      ['after_repair', 'After repair'],
    ],
  },
  {
    name: 'document',
    label: 'Document',
    choices: [
      ['certificate', 'Certificate'],
      ['nonconformance', 'Nonconformance report'],
      ['revoked', 'Revoked'],
      ['none', 'None'],
    ],
  },
]
/** Those that stand on the page before anybody asks for them. */
export const USUAL: string[] = ['product', 'lot', 'since', 'until']
export const VERDICTS = ['pass', 'fail', 'inconclusive', 'not_run'] as const
const LISTS = ['verdict', 'cause', 'document']

/** What the address asks; a part of a serial will do, so it may stand anywhere in it. */
export function askedOf(query: URLSearchParams): Asked {
  const asked: Record<string, unknown> = {}
  const serial = (query.get('serial') ?? '').trim()
  if (serial) asked.serial = /[*?]/.test(serial) ? serial : `*${serial}*`
  const verdicts = query.getAll('verdict')
  if (verdicts.length > 0) asked.verdict = verdicts
  for (const { name, isFlag, isNumber } of FIELDS) {
    const value = (query.get(name) ?? '').trim()
    if (!value) continue
    if (isFlag) asked[name] = true
    else if (isNumber) asked[name] = Number(value)
    else asked[name] = LISTS.includes(name) ? query.getAll(name) : value
  }
  return asked as Asked
}

/** A search as the address of this page holds it. */
export function addressOf(search: Record<string, unknown>): string {
  const query = new URLSearchParams()
  for (const [name, value] of Object.entries(search)) {
    for (const each of Array.isArray(value) ? value : [value]) query.append(name, String(each))
  }
  return query.toString()
}

/** The fields that are shown: the usual ones, and whatever the address asks besides. */
export function shownFields(query: URLSearchParams, added: string[]): Field[] {
  return FIELDS.filter(
    ({ name }) => USUAL.includes(name) || added.includes(name) || query.has(name),
  )
}
