import { createTheme, MantineProvider } from '@mantine/core'
import '@mantine/core/styles.css'
import { StrictMode } from 'react'
import { createRoot } from 'react-dom/client'
import { App } from './App'
import './loupe.css'

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

createRoot(document.getElementById('root') as HTMLElement).render(
  <StrictMode>
    <MantineProvider theme={theme} defaultColorScheme="auto">
      <App />
    </MantineProvider>
  </StrictMode>,
)
