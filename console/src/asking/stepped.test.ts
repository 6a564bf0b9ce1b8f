import { expect, test } from 'vitest'
import { stepped, withUnit } from './stepped'

test('a figure without a unit has that of its display; any other stays as it is written', () => {
  expect(withUnit('33.0', '0.1 kPa')).toBe('33.0 kPa')
  expect(withUnit(' 33 ', '0.1 kPa')).toBe('33 kPa')
  expect(withUnit('33000 Pa', '0.1 kPa')).toBe('33000 Pa')
  expect(withUnit('33', '')).toBe('33')
  expect(withUnit('warm', '0.1 °C')).toBe('warm')
})

test('a figure moves by steps of its display, from whatever is written', () => {
  expect(stepped('37 °C', '0.1 °C', 1)).toBe('37.1 °C')
  expect(stepped('37.1 °C', '0.1 °C', -3)).toBe('36.8 °C')
  expect(stepped('20 kPa', '0.1 kPa', -1)).toBe('19.9 kPa')
  expect(stepped('-0.1 kPa', '0.1 kPa', 1)).toBe('0.0 kPa')
})

test('what is no figure, or has another unit than the step, stays as it is', () => {
  expect(stepped('', '0.1 °C', 1)).toBe('')
  expect(stepped('warm', '0.1 °C', 1)).toBe('warm')
  expect(stepped('20 kPa', '100 Pa', 1)).toBe('20 kPa')
  expect(stepped('37 °C', '', 1)).toBe('37 °C')
})
