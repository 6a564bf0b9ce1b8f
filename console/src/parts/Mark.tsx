/** The product's mark: three overlapping plates. */
export function Mark({ size }: { size: number }) {
  return (
    <svg width={size} height={size} viewBox="0 0 32 32" aria-hidden="true">
      <g fill="var(--chakra-colors-act)">
        <path d="M4 4h24v7l-12 6-12-6z" />
        <path d="M4 14l12 6 12-6v5l-12 6-12-6z" opacity="0.75" />
        <path d="M4 22l12 6 12-6v3l-12 6-12-6z" opacity="0.5" />
      </g>
    </svg>
  )
}
