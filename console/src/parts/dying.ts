const DYING = 10

/** Whether most of a curve would be a flat line beside its beginning in a straight scale. */
export function fades(sizes: number[]): boolean {
  const sorted = [...sizes].sort((a, b) => a - b)
  return (sorted.at(-1) ?? 0) > DYING * (sorted[Math.floor(sorted.length / 2)] ?? 0)
}
