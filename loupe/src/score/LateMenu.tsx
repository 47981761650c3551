import { Button } from '@mantine/core'
import { type ReactNode, Suspense, useState } from 'react'

interface Props {
  /** Text of the button. */
  label: string
  variant?: 'default' | 'light'
  /** The menu with a button of its own, loaded when it is first asked for. */
  children: ReactNode
}

/** The button of a menu whose code is loaded at the first click: the page shows sooner without it. */
export function LateMenu({ label, variant = 'default', children }: Props) {
  const [isAsked, setAsked] = useState(false)
  const button = (
    <Button size="xs" variant={variant} aria-haspopup="menu" onClick={() => setAsked(true)}>
      {label}
    </Button>
  )
  return isAsked ? <Suspense fallback={button}>{children}</Suspense> : button
}
