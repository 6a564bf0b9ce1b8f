import { expect, test } from 'vitest'
import { canApprove, canRevoke, type Found, standingWords, subjectOf } from './standing'

const FOUND: Found = {
  position: 7,
  from_bench: '',
  number: 'C-2026-000007',
  kind: 'certificate',
  serial: 'DC40-26-0117',
  lot: 'L-1',
  product: 'DC-40',
  issued_at: '2026-11-25T08:01:00.000Z',
  supersedes: '',
  superseded_by: '',
  revoked_by: '',
  approvals: 0,
  approvals_needed: 1,
  about: [],
  paper: 'made',
  paper_problem: '',
}

test('what speaks against a document is said before what speaks for it', () => {
  expect(standingWords(FOUND)).toBe('')
  expect(standingWords({ ...FOUND, approvals: 1 })).toBe('Approved')
  const ofTwo = { ...FOUND, approvals: 1, approvals_needed: 2 }
  expect(standingWords(ofTwo)).toBe('Approved by 1 of 2')
  expect(canApprove(ofTwo)).toBe(true)
  expect(standingWords({ ...FOUND, approvals: 1, superseded_by: 'C-2' })).toBe('Superseded by C-2')
  expect(standingWords({ ...FOUND, superseded_by: 'C-2', revoked_by: 'X-1' })).toBe('Revoked (X-1)')
})

test('nothing is offered for approval or revocation that cannot be', () => {
  expect(canApprove(FOUND) && canRevoke(FOUND)).toBe(true)
  for (const spoilt of [{ revoked_by: 'X-1' }, { superseded_by: 'C-2' }, { approvals: 1 }]) {
    expect(canApprove({ ...FOUND, ...spoilt })).toBe(false)
  }
  expect(canRevoke({ ...FOUND, revoked_by: 'X-1' })).toBe(false)
  for (const kind of ['revocation', 'approval'] as const) {
    expect(canApprove({ ...FOUND, kind }) || canRevoke({ ...FOUND, kind })).toBe(false)
  }
})

test('a document says what it is of', () => {
  expect(subjectOf(FOUND)).toBe('DC40-26-0117')
  expect(subjectOf({ ...FOUND, serial: '', kind: 'lot' })).toBe('L-1')
  const about = ['C-1', 'C-2', 'C-3']
  expect(subjectOf({ ...FOUND, serial: '', lot: '', kind: 'approval', about })).toBe(
    'C-1 and 2 more',
  )
})
