import { Button } from '@mantine/core'
import { type ReactNode, Suspense, useState } from 'react'

interface Props {
  /** Text of the button. */
  label: string
  variant?: 'default' | 'light'
  /** The menu with its own button, loaded at the first click. */
  children: ReactNode
}

/** A menu button that loads the menu at the first click, so that the page loads faster. */
export function LateMenu({ label, variant = 'default', children }: Props) {
  const [isAsked, setAsked] = useState(false)
  const button = (
    <Button size="xs" variant={variant} aria-haspopup="menu" onClick={() => setAsked(true)}>
      {label}
    </Button>
  )
  return isAsked ? <Suspense fallback={button}>{children}</Suspense> : button
}
