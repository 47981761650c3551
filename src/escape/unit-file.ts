import { oneLine } from './one-line.js'

/** A value in a systemd unit: on one line, and with no specifiers (`%h`) in it. */
export const unitValue = (text: string): string => oneLine(text).replaceAll('%', '%%').replace(/\\$/, '')

/** An argument of a command in a unit, quoted, with neither specifiers nor variables (`$HOME`) in it. */
export const unitArgument = (text: string): string =>
  `"${oneLine(text).replace(/[\\"]/g, '\\$&').replaceAll('%', '%%').replaceAll('$', '$$$$')}"`
