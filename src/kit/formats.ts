/** The longest text that a format is asserted on. A longer one does not fit it, and costs nothing. */
const longest: Readonly<Record<string, number>> = {
  uri: 8192,
  'uri-reference': 8192,
  iri: 8192,
  'iri-reference': 8192,
  'uri-template': 8192,
  url: 8192,
  byte: Number.MAX_SAFE_INTEGER,
  'json-pointer': 8192,
  'json-pointer-uri-fragment': 8192,
  'relative-json-pointer': 8192,
}
const usual = 1024

/** A check of a format that looks at texts of a bounded length only: expressions for formats are not all linear. */
export function boundedFormat(name: string, check: (text: string) => boolean): (text: string) => boolean {
  // The usual expression for this one needs exponential time.
  const test = name === 'url' ? isUrl : check
  const most = longest[name] ?? usual
  return (text) => text.length <= most && test(text)
}

function isUrl(text: string): boolean {
  return /^(?:https?|ftp):\/\/[^\s/]/i.test(text) && URL.canParse(text)
}
