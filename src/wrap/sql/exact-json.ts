/** Parses JSON of a column. Numbers that JavaScript would round become text. */
export function parseExactly(text: string): unknown {
  if (!/\d{15}/.test(text)) return JSON.parse(text)
  return JSON.parse(
    text.replace(/"(?:[^"\\]|\\.)*"|-?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?/g, (token) =>
      token.startsWith('"') || isExact(token) ? token : `"${token}"`,
    ),
  )
}

/** True if JavaScript reproduces the number as written, except for trailing zeros. */
function isExact(token: string): boolean {
  const digits = (text: string) => text.replace(/^-|\.|[eE].*$/g, '').replace(/^0+|0+$/g, '')
  return digits(String(Number(token))) === digits(token) || digits(Number(token).toFixed(0)) === digits(token)
}
