import type { ViewContext } from '../wire/messages.js'

const colours = {
  light: ['#ffffff', '#f3f3ef', '#22251f', '#5d6157', '#d8dad2', '#a4281c'],
  dark: ['#1c1e1a', '#282b25', '#eef0e9', '#b3b8aa', '#44483e', '#ff9d94'],
} as const
const names = [
  '--color-background-primary',
  '--color-background-secondary',
  '--color-text-primary',
  '--color-text-secondary',
  '--color-border-primary',
  '--color-text-danger',
] as const

/** Neutral colours and fonts under the names that views read, for hosts without a design of their own. */
export function plainStyles(theme: 'light' | 'dark'): NonNullable<ViewContext['styles']> {
  const variables = Object.fromEntries(names.map((name, at) => [name, colours[theme][at] as string]))
  return {
    variables: {
      ...variables,
      '--font-sans': 'system-ui, "Noto Sans", sans-serif',
      '--font-mono': 'ui-monospace, "DejaVu Sans Mono", monospace',
      '--border-radius-md': '8px',
    },
  }
}
