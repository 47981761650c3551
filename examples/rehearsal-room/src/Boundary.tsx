import { Component, type ReactNode } from 'react'

interface Props {
  /** Shown instead, with the reason. */
  instead: (reason: string) => ReactNode
  children: ReactNode
}

/** Shows an error in place of content that cannot be drawn; the rest of the page continues. */
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
