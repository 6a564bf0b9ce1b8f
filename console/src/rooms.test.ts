import { readdirSync, readFileSync } from 'node:fs'
import { dirname, join, relative, resolve } from 'node:path'
import { expect, test } from 'vitest'

const ROOT = __dirname

/** The rooms that each room imports from. */
function arrows(): Map<string, Set<string>> {
  const found = new Map<string, Set<string>>()
  for (const name of readdirSync(ROOT, { recursive: true, encoding: 'utf8' })) {
    if (!/\.tsx?$/.test(name) || !name.includes('/')) continue
    const room = roomOf(name)
    const text = readFileSync(join(ROOT, name), 'utf8')
    for (const [, path] of text.matchAll(/from '(\.[^']+)'/g)) {
      const target = roomOf(relative(ROOT, resolve(ROOT, dirname(name), path ?? '')))
      if (target !== room) found.set(room, (found.get(room) ?? new Set()).add(target))
    }
  }
  return found
}

function roomOf(path: string): string {
  return path.split('/')[0] ?? ''
}

test('no room imports from one that leads back to it', () => {
  const to = arrows()
  const reached = (from: string, seen = new Set<string>()): Set<string> => {
    for (const next of to.get(from) ?? []) if (!seen.has(next)) reached(next, seen.add(next))
    return seen
  }
  expect(to.get('run')?.has('asking')).toBe(true)
  expect([...to.keys()].filter((room) => reached(room).has(room))).toEqual([])
})
