import '@mantine/core/styles.css'
import './board.css'
import { createTheme, MantineProvider } from '@mantine/core'
import { createRoot } from 'react-dom/client'
import { Board } from './Board.tsx'

const theme = createTheme({
  primaryColor: 'honey',
  primaryShade: { light: 7, dark: 5 },
  colors: {
    honey: [
      '#fdf6e3',
      '#f9e9bf',
      '#f3d68c',
      '#ecc057',
      '#e0a93f',
      '#c98a1b',
      '#a56f12',
      '#80550d',
      '#66440b',
      '#4c3308',
    ],
  },
})

const root = document.getElementById('root')
if (root)
  createRoot(root).render(
    <MantineProvider theme={theme} defaultColorScheme="auto">
      <Board />
    </MantineProvider>,
  )
