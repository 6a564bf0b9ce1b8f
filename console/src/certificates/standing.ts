import type { Schemas } from '../api/client'

export type Found = Schemas['DocumentFound']

export const KINDS: [string, string][] = [
  ['', 'Every kind'],
  ['certificate', 'Certificates'],
  ['nonconformance', 'Nonconformance reports'],
  ['lot', 'Lot summaries'],
  ['report', 'Reports'],
  ['revocation', 'Revocations'],
  ['approval', 'Approvals'],
]

export const STANDINGS: [string, string][] = [
  ['', 'However they stand'],
  ['counts', 'Those that count'],
  ['unapproved', 'Not approved yet'],
  ['approved', 'Approved'],
  ['revoked', 'Revoked'],
  ['superseded', 'Superseded'],
]

const KIND_WORDS: Record<string, string> = {
  certificate: 'Certificate',
  nonconformance: 'Nonconformance report',
  lot: 'Lot summary',
  report: 'Report',
  revocation: 'Revocation',
  approval: 'Approval',
}

/** A kind of document in words. */
export function kindWords(kind: string): string {
  return KIND_WORDS[kind] ?? kind
}

/** How a document stands, said plainly; nothing while it counts and nobody approved it. */
export function standingWords(found: Found): string {
  if (found.revoked_by) return `Revoked (${found.revoked_by})`
  if (found.superseded_by) return `Superseded by ${found.superseded_by}`
  if (found.approvals >= found.approvals_needed) return 'Approved'
  if (found.approvals > 0) return `Approved by ${found.approvals} of ${found.approvals_needed}`
  return ''
}

/** What a document is of: a unit, a lot, or the documents that an act is about. */
export function subjectOf(found: Found): string {
  if (found.serial) return found.serial
  if (found.about.length > 0) {
    const more = found.about.length - 1
    return more > 0 ? `${found.about[0]} and ${more} more` : (found.about[0] ?? '')
  }
  return found.lot
}

/** Whether quality may sign it: it counts, is of a kind that is signed, and waits for it. */
export function canApprove(found: Found): boolean {
  const isWaiting = found.approvals < found.approvals_needed
  return isDocument(found) && !found.revoked_by && !found.superseded_by && isWaiting
}

/** Whether it can be revoked. */
export function canRevoke(found: Found): boolean {
  return isDocument(found) && !found.revoked_by
}

/** Whether it is a document, and not an act on one. */
export function isDocument(found: Found): boolean {
  return found.kind !== 'revocation' && found.kind !== 'approval'
}
