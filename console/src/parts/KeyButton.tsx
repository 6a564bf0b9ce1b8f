import { Button, type ButtonProps, Kbd } from '@chakra-ui/react'

interface Props extends ButtonProps {
  keyName: string
}

/** A button that shows the key that does the same. */
export function KeyButton({ keyName, children, ...rest }: Props) {
  return (
    <Button size="lg" {...rest}>
      {children}
      {keyName && (
        <Kbd size="sm" bg="plate" color="ink" borderColor="edge" aria-hidden="true">
          {keyName}
        </Kbd>
      )}
    </Button>
  )
}
