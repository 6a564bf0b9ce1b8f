import { expect, test } from 'vitest'
import { cellFindings, cellsOf, linesOf, pasted, withLines } from './fromTo'
import { PRODUCT } from './made'

test('a section is its lines, and the lines are the section', () => {
  const lines = linesOf(PRODUCT.cable)
  expect(lines.map((each) => each.name)).toEqual(['UP', '+24V', 'S1', 'S2', 'R1'])
  expect(lines[2]).toEqual({ sort: 'wire', name: 'S1', from: 'X1:2', to: 'X2:2', position: 'A' })
  expect(withLines(PRODUCT.cable, lines).section).toEqual(PRODUCT.cable)
})

test('lines of one name are one net, and titles of positions are kept', () => {
  const { section } = withLines(PRODUCT.cable, [
    { name: 'E', from: 'X1:1', to: 'X2:1', colour: 'green' },
    { name: 'E', from: 'X1:1', to: 'X2:2' },
    { sort: 'shield', name: 'S', from: 'X1:2', to: 'X2:3', position: '' },
    { name: 'N', from: 'X1:3', to: 'X2:4', position: 'A' },
  ])
  expect(section.nets).toEqual([{ name: 'E', contacts: ['X1:1', 'X2:1', 'X2:2'], colour: 'green' }])
  expect(section.shields).toEqual([{ name: 'S', contacts: ['X1:2', 'X2:3'] }])
  expect((section.positions as { title: string }[])[0]?.title).toBe('slow')
})

test('what a spreadsheet copies is put in from the chosen cell on', () => {
  const cells = cellsOf('UP\tX1:1\tX2:1\r\nDOWN\tX1:2\tX2:2\r\n')
  expect(cells).toEqual([
    ['UP', 'X1:1', 'X2:1'],
    ['DOWN', 'X1:2', 'X2:2'],
  ])
  const lines = pasted([{ name: 'OLD', colour: 'red' }], 0, 1, cells)
  expect(lines).toEqual([
    { name: 'UP', from: 'X1:1', to: 'X2:1', colour: 'red' },
    { name: 'DOWN', from: 'X1:2', to: 'X2:2' },
  ])
})

test('what was refused stands at its cell', () => {
  const lines = linesOf(PRODUCT.cable)
  const { at } = withLines(PRODUCT.cable, lines)
  const found = cellFindings(
    [
      { field: 'cable.nets[1].contacts[0]', message: 'one' },
      { field: 'cable.nets[0].cross_section', message: 'two' },
      { field: 'cable.positions[1].nets[0].contacts[1]', message: 'three' },
      { field: 'cable.parts[0].value', message: 'four' },
      { field: 'cable.nets[0].contacts', message: 'five' },
      { field: 'title', message: 'elsewhere' },
    ],
    at,
  )
  expect([...found]).toEqual([
    ['1 from', 'one'],
    ['0 cross_section', 'two'],
    ['3 to', 'three'],
    ['4 value', 'four'],
    ['0 to', 'five'],
  ])
})
