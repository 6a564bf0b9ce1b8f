import { expect, test } from 'vitest'
import { addressOf, askedOf, FIELDS, shownFields, USUAL } from './search'

const asked = (address: string) => askedOf(new URLSearchParams(address))

test('a part of a serial may stand anywhere in it, a pattern is asked as it is', () => {
  expect(asked('serial=0119')).toEqual({ serial: '*0119*' })
  expect(asked('serial=DC40-*')).toEqual({ serial: 'DC40-*' })
  expect(asked('serial=%20')).toEqual({})
})

test('what is empty is not asked, and what may be several is a list', () => {
  expect(asked('lot=&verdict=fail&verdict=pass&cause=open&revision=2&sequence=S')).toEqual({
    verdict: ['fail', 'pass'],
    cause: ['open'],
    revision: 2,
    sequence: 'S',
  })
})

test('what nobody knows of stays out of the question', () => {
  expect(asked('colour=red')).toEqual({})
})

test('a search that was kept comes back from its address as it was', () => {
  const kept = {
    serial: 'DC40-*',
    verdict: ['fail', 'inconclusive'],
    since: '7d',
    fixture: 'FX-A',
    since_renewal: true,
    limit_set: 'IEC-60335',
    limit_revision: 2,
    document: ['revoked'],
  }
  expect(asked(addressOf(kept))).toEqual(kept)
})

test('every field that is asked is in sight', () => {
  const query = new URLSearchParams(FIELDS.map(({ name }) => [name, '1']))
  expect(shownFields(query, [])).toEqual(FIELDS)
  expect(shownFields(new URLSearchParams(), []).map(({ name }) => name)).toEqual(USUAL)
})
