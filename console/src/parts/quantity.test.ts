import { expect, test } from 'vitest'
import { quantityText, showTemperaturesIn, timeText } from './quantity'

test.each([
  [1500, 'V', '1.500 kV'],
  [0.08175, 'Ω', '81.75 mΩ'],
  [1.363e-3, 'A', '1.363 mA'],
  [9.99996, 'V', '10.00 V'],
  [0, 'A', '0 A'],
  [-2.5e-9, 'A', '-2.500 nA'],
  [1.2e10, 'Ω', '12.00 GΩ'],
  [0.00897, '%', '0.8970 %'],
  [1, '%', '100.0 %'],
  [0.5e-6, 'mm²', '0.5000 mm²'],
  [2.5 / 60, '/min', '2.500 /min'],
  [9.58333, ':1', '9.583:1'],
  [3.1714, '', '3.171'],
  [0, '', '0'],
])('%d %s is written %s', (value, unit, text) => {
  expect(quantityText(value, unit)).toBe(text)
})

test('a time to wait is told in minutes and seconds, never less than is left', () => {
  expect([41, 99.2, 100, 180, 200.4].map(timeText)).toEqual([
    '41 s',
    '1 min 40 s',
    '1 min 40 s',
    '3 min',
    '3 min 21 s',
  ])
})

test('fewer digits are as many as asked for', () => {
  expect(quantityText(499.5, 'V', 2)).toBe('500 V')
  expect(quantityText(1234, 'V', 2)).toBe('1.2 kV')
  expect(quantityText(8.43, 'V', 2)).toBe('8.4 V')
})

test('temperatures have no prefix, and the unit that the site chose', () => {
  expect(quantityText(0.5, '°C')).toBe('0.5 °C')
  showTemperaturesIn('°F')
  expect(quantityText(31.7, '°C')).toBe('89.1 °F')
  expect(quantityText(31.7, 'V')).toBe('31.70 V')
  showTemperaturesIn('°C')
  expect(quantityText(-40, '°C')).toBe('-40.0 °C')
})
