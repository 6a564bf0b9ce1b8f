/** A moment in a zone, to the minute, with the zone's offset: 2026-12-01 21:38 +01:00. */
export function momentText(at: string, zone: string): string {
  const when = new Date(at)
  const there = when.toLocaleString('sv', { timeZone: zone }).slice(0, 16)
  const offset = new Intl.DateTimeFormat('en', { timeZone: zone, timeZoneName: 'longOffset' })
    .formatToParts(when)
    .find(({ type }) => type === 'timeZoneName')?.value
  return `${there} ${offset?.replace('GMT', '') || '+00:00'}`
}
