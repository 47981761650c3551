import { createTheme, MantineProvider } from '@mantine/core'
import './mantine-styles'
import { Component, type ReactNode, StrictMode } from 'react'
import { createRoot } from 'react-dom/client'
import { App } from './App'
import './loupe.css'
import './desk/desk.css'
import './result/facts.css'
import './result/result.css'

const honey = [
  '#fff8e3',
  '#ffefc6',
  '#fbdf94',
  '#f6cd5f',
  '#f0bc35',
  '#d99d12',
  '#a97605',
  '#845b04',
  '#5f4103',
  '#3b2800',
] as const

const theme = createTheme({
  primaryColor: 'honey',
  primaryShade: { light: 7, dark: 4 },
  autoContrast: true,
  colors: { honey },
  defaultRadius: 'sm',
  fontFamily: 'system-ui, "Segoe UI", "DejaVu Sans", sans-serif',
  fontFamilyMonospace: 'ui-monospace, "Cascadia Mono", "DejaVu Sans Mono", monospace',
})

/** If the page itself fails, it says so and how to continue. The recording stays with the command and is not lost. */
class Unbroken extends Component<{ children: ReactNode }, { broken: Error | undefined }> {
  override state: { broken: Error | undefined } = { broken: undefined }
  static getDerivedStateFromError(broken: Error) {
    return { broken }
  }
  override render() {
    const { broken } = this.state
    if (!broken) return this.props.children
    return (
      <p className="problem" role="alert">
        This page crashed: {broken.message}. <a href={location.pathname}>Reload</a>; nothing that was recorded is
        lost.
      </p>
    )
  }
}

createRoot(document.getElementById('root') as HTMLElement).render(
  <StrictMode>
    <MantineProvider theme={theme} defaultColorScheme="auto">
      <Unbroken>
        <App />
      </Unbroken>
    </MantineProvider>
  </StrictMode>,
)
