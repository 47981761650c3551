import { Component, type ReactNode } from 'react'

interface Props {
  /** What is shown instead, with the reason. */
  instead: (reason: string) => ReactNode
  children: ReactNode
}

/** What a server sends may be more than the page can draw: that is said in its place, and the rest of the page works on. */
export class Boundary extends Component<Props, { reason: string | undefined }> {
  override state: { reason: string | undefined } = { reason: undefined }

  static getDerivedStateFromError(error: unknown): { reason: string } {
    return { reason: error instanceof Error ? error.message : String(error) }
  }

  override render(): ReactNode {
    const { reason } = this.state
    return reason === undefined ? this.props.children : this.props.instead(reason)
  }
}
