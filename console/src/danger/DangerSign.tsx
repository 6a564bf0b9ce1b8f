import type { Danger } from './useDanger'

/** The sign of a state: a flash in a triangle for voltage, a hand, a tick; our own drawing. */
export function DangerSign({ state, size }: { state: Danger['state']; size: number }) {
  return (
    <svg width={size} height={size} viewBox="0 0 32 32" aria-hidden="true">
      {state === 'safe' ? (
        <path d="M6 17l7 7L27 9" fill="none" stroke="currentColor" strokeWidth="4" />
      ) : state === 'hands_in' ? (
        <path
          d="M9 30V16l-3-4 2-2 4 4V4h3v9h1V2h3v11h1V4h3v10h1V8h3v12l-4 10z"
          fill="currentColor"
        />
      ) : (
        <>
          <path
            d="M16 2L31 29H1z"
            // On its own yellow the sign would be lost.
            fill={state === 'armed' ? '#ffffff' : '#f2c200'}
            stroke="#17211f"
            strokeWidth="2.5"
          />
          {state === 'unknown' ? (
            <path
              d="M12 14c0-5 8-5 8 0 0 3-4 3-4 6m0 3v3"
              fill="none"
              stroke="#17211f"
              strokeWidth="2.5"
            />
          ) : (
            <path d="M18 9l-6 9h4l-2 9 7-11h-4z" fill="#17211f" />
          )}
        </>
      )}
    </svg>
  )
}
