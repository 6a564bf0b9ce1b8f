export type Mode = 'light' | 'dark'

const KEY = 'loricate-mode'

/** The mode chosen on this computer, else what the system prefers. */
export function savedMode(): Mode {
  const kept = localStorage.getItem(KEY)
  if (kept === 'light' || kept === 'dark') return kept
  return matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light'
}

export function applyMode(mode: Mode): void {
  document.documentElement.classList.remove('light', 'dark')
  document.documentElement.classList.add(mode)
  document.documentElement.style.colorScheme = mode
}

export function keepMode(mode: Mode): void {
  localStorage.setItem(KEY, mode)
  applyMode(mode)
}
