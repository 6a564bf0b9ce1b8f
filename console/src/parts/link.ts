/** How a link looks: its ink, and a line under it. */
export const LINK = { color: 'var(--chakra-colors-act)', textDecoration: 'underline' }
