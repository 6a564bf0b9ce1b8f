/** A name of the service as people read it: `power_factor` is power factor. */
export function words(name: string): string {
  return name.replaceAll('_', ' ')
}

/** What is measured, and of which point of the unit where it is not the whole. */
export function measurand({ quantity, point }: { quantity: string; point: string }): string {
  return `${words(quantity)} ${point}`.trim()
}
