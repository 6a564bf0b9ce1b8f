import { Input, Stack } from '@chakra-ui/react'
import { useId } from 'react'

interface Props {
  label: string
  value: string
  onChange: (value: string) => void
  /** What an entry looks like. */
  hint?: string
  width?: string
  size?: 'md' | 'lg'
  type?: 'text' | 'password'
  /** What the browser may fill it with; nothing by default. */
  auto?: string
  isRequired?: boolean
  /** Whether it is where one types first. */
  isFirst?: boolean
}

/** A line to type in, under its label. */
export function LabelledInput({
  label,
  value,
  onChange,
  hint,
  width,
  size = 'md',
  type = 'text',
  auto = 'off',
  isRequired = false,
  isFirst = false,
}: Props) {
  const id = useId()
  return (
    <Stack gap="1">
      <label htmlFor={id}>{label}</label>
      <Input
        id={id}
        type={type}
        size={size}
        w={width}
        bg="plate"
        borderColor="edge"
        autoComplete={auto}
        required={isRequired}
        autoFocus={isFirst}
        value={value}
        placeholder={hint}
        _placeholder={{ color: 'soft' }}
        onChange={(event) => onChange(event.target.value)}
      />
    </Stack>
  )
}
