import { expect, test } from 'vitest'
import { momentText } from './moment'

test('a moment has the offset of its zone', () => {
  expect(momentText('2026-12-01T20:38:54Z', 'Europe/Vienna')).toBe('2026-12-01 21:38 +01:00')
  expect(momentText('2026-07-01T20:38:54Z', 'Europe/Vienna')).toBe('2026-07-01 22:38 +02:00')
  expect(momentText('2026-12-01T20:38:54Z', 'UTC')).toBe('2026-12-01 20:38 +00:00')
})
