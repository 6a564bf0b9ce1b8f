import { Input, Stack } from '@chakra-ui/react'

interface FieldProps {
  label: string
  value: string
  onChange: (value: string) => void
  kind: string
  auto: string
}

/** A field of a sign-in or password form, with what the browser may fill it with. */
export function Field({ label, value, onChange, kind, auto }: FieldProps) {
  const id = `sign-in-${label.replaceAll(/\W+/g, '-').toLowerCase()}`
  return (
    <Stack gap="1">
      <label htmlFor={id}>{label}</label>
      <Input
        id={id}
        type={kind}
        autoComplete={auto}
        required
        size="lg"
        bg="plate"
        borderColor="edge"
        value={value}
        onChange={(event) => onChange(event.target.value)}
      />
    </Stack>
  )
}
