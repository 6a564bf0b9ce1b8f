import { NativeSelect, Stack } from '@chakra-ui/react'
import { useId } from 'react'

interface Props {
  label: string
  value: string
  /** What may be chosen: a value, or a value with the words for it. */
  options: (string | [string, string])[]
  onChange: (value: string) => void
  width?: string
  size?: 'sm' | 'md' | 'lg'
  /** The label is spoken only: what stands around the field says what it is. */
  isLabelHidden?: boolean
}

/** One of several, under its label. */
export function Choice({
  label,
  value,
  options,
  onChange,
  width,
  size = 'md',
  isLabelHidden = false,
}: Props) {
  const id = useId()
  const field = (
    <NativeSelect.Root size={size} width={width}>
      <NativeSelect.Field
        id={id}
        aria-label={isLabelHidden ? label : undefined}
        bg="plate"
        borderColor="edge"
        value={value}
        onChange={(event) => onChange(event.target.value)}
      >
        {options.map((each) => {
          const [key, words] = typeof each === 'string' ? [each, each] : each
          return (
            <option key={key} value={key}>
              {words}
            </option>
          )
        })}
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  )
  if (isLabelHidden) return field
  return (
    <Stack gap="1">
      <label htmlFor={id}>{label}</label>
      {field}
    </Stack>
  )
}
