import { oneLine } from './one-line.js'

/** Lines of an environment file (`.env`), which docker, systemd and dotenv read alike. */
export const envComment = (text: string): string => `# ${oneLine(text)}`

/** `NAME=value`; quoted where the value holds more than plain characters. A line end in a value cannot be written for all readers. */
export function envLine(name: string, value: string): string {
  const text = oneLine(value)
  if (/^[\w.,:/@%+~?&=-]*$/.test(text)) return `${name}=${text}`
  return text.includes("'") ? `${name}="${text.replace(/[\\"$`]/g, '\\$&')}"` : `${name}='${text}'`
}
