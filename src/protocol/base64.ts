const chunkBytes = 0x8000

/** Bytes → base64, without Node's Buffer so that it runs in a browser too. */
export function toBase64(bytes: Uint8Array): string {
  let binary = ''
  for (let start = 0; start < bytes.length; start += chunkBytes) {
    binary += String.fromCharCode(...bytes.subarray(start, start + chunkBytes))
  }
  return btoa(binary)
}

/** Base64 → bytes. Throws a `DOMException` if the text is not base64. */
export function fromBase64(text: string): Uint8Array {
  const binary = atob(text)
  const bytes = new Uint8Array(binary.length)
  for (let index = 0; index < binary.length; index++) bytes[index] = binary.charCodeAt(index)
  return bytes
}

/** Text to and from base64url, encoded as UTF-8: the form of opaque cursors. */
export function toBase64Url(text: string): string {
  return toBase64(new TextEncoder().encode(text)).replaceAll('+', '-').replaceAll('/', '_').replaceAll('=', '')
}

/** The text that `toBase64Url` encoded; undefined if the input is not valid. */
export function fromBase64Url(text: string): string | undefined {
  try {
    const bytes = fromBase64(text.replaceAll('-', '+').replaceAll('_', '/'))
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes)
  } catch {
    return undefined
  }
}
