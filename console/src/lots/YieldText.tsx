/** A yield in percent; a dash before anything was tested. */
export function YieldText({ part }: { part: number | null }) {
  return <>{part === null ? '–' : `${(part * 100).toFixed(1)} %`}</>
}
