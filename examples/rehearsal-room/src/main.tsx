import '@mantine/core/styles.css'
import './room.css'
import { createTheme, MantineProvider } from '@mantine/core'
import { createRoot } from 'react-dom/client'
import { App } from './App.tsx'

const theme = createTheme({
  primaryColor: 'moss',
  primaryShade: { light: 7, dark: 5 },
  colors: {
    moss: [
      '#f1f6ec',
      '#e1ecd7',
      '#c4dab0',
      '#a5c787',
      '#8ab665',
      '#79ac4f',
      '#639341',
      '#4a7330',
      '#3d6128',
      '#2f4f1f',
    ],
  },
  fontFamily: 'system-ui, "Noto Sans", sans-serif',
  fontFamilyMonospace: 'ui-monospace, "DejaVu Sans Mono", monospace',
})

const root = document.getElementById('root')
if (root)
  createRoot(root).render(
    <MantineProvider theme={theme} defaultColorScheme="auto">
      <App />
    </MantineProvider>,
  )
