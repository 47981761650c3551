/** Formats are checked for texts up to this length; a longer text does not match. */
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

/** Checks a format for texts of limited length, since some expressions for formats are not linear. */
export function boundedFormat(name: string, check: (text: string) => boolean): (text: string) => boolean {
  // The usual expression for this format takes exponential time.
  const test = name === 'url' ? isUrl : check
  const most = longest[name] ?? usual
  return (text) => text.length <= most && test(text)
}

function isUrl(text: string): boolean {
  return /^(?:https?|ftp):\/\/[^\s/]/i.test(text) && URL.canParse(text)
}
