/** Content of a message: JSON if it parses, otherwise text; non-text bytes as base64. */
export function valueIn(payload: Uint8Array): unknown {
  let text: string
  try {
    text = new TextDecoder('utf-8', { fatal: true }).decode(payload)
  } catch {
    return Buffer.from(payload).toString('base64')
  }
  return valueInText(text)
}

/** The same for text. */
export function valueInText(text: string): unknown {
  try {
    return JSON.parse(text)
  } catch {
    return text
  }
}
