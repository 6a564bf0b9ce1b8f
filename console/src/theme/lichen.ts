// Lichen: the console's look. Slate ground, lichen green for what is at hand, plates with a cut
// corner for what lies in a nest. Every pair of text and ground meets WCAG AA in both modes.
import { createSystem, defaultConfig, defineConfig } from '@chakra-ui/react'

const pair = (light: string, dark: string) => ({ value: { base: light, _dark: dark } })

const config = defineConfig({
  globalCss: {
    'html, body': { bg: 'ground', color: 'ink', fontVariantNumeric: 'tabular-nums' },
    '*:focus-visible': { outline: '3px solid', outlineColor: 'focus', outlineOffset: '2px' },
  },
  theme: {
    tokens: {
      fonts: {
        heading: { value: '"DejaVu Sans", "Segoe UI", system-ui, sans-serif' },
        body: { value: '"DejaVu Sans", "Segoe UI", system-ui, sans-serif' },
      },
    },
    semanticTokens: {
      colors: {
        ground: pair('#eef1ee', '#12181a'),
        plate: pair('#ffffff', '#1b2427'),
        sunk: pair('#e2e8e4', '#0d1214'),
        edge: pair('#b9c5c0', '#3a4a4e'),
        ink: pair('#17211f', '#e8eeea'),
        soft: pair('#4b5b57', '#a5b6b1'),
        focus: pair('#c2571a', '#f0a860'),
        act: pair('#1f5f5b', '#63b8ae'),
        'act.ink': pair('#ffffff', '#0b1514'),
        good: pair('#1a6445', '#6fd0a0'),
        bad: pair('#a12c1a', '#ff9c86'),
        unsure: pair('#7a5200', '#f0c161'),
        'good.wash': pair('#dff1e6', '#12352a'),
        'bad.wash': pair('#f9e1db', '#43201a'),
        'unsure.wash': pair('#f7ecd0', '#3a2e10'),
      },
    },
  },
})

export const lichen = createSystem(defaultConfig, config)
