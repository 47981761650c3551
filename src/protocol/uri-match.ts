/** A piece of a URI template, to be matched: fixed text, or a run of characters for a variable. */
export type Piece =
  | { readonly kind: 'text'; readonly text: string }
  | {
      readonly kind: 'run'
      /** Prefix of the expression, if it has one. */
      readonly prefix: string
      /** Characters that end the run. */
      readonly stops: string
      /** Minimum length of the run. */
      readonly least: 0 | 1
      /** The whole piece is optional. */
      readonly isOptional: boolean
    }

/** Maximum length of a URI. */
const longest = 8192

/**
 * The text of each run in a URI, or undefined if the template does not match. Takes time in proportion to the length of
 * the URI times the number of pieces: from the end, the positions from which the rest can match are marked; then each
 * run is matched against them.
 */
export function matchPieces(pieces: readonly Piece[], uri: string): string[] | undefined {
  if (uri.length > longest) return undefined
  const reach: Uint8Array[] = [marked(uri.length, uri.length)]
  for (let at = pieces.length - 1; at >= 0; at--)
    reach.unshift(reachOf(pieces[at] as Piece, uri, reach[0] as Uint8Array))
  if (reach[0]?.[0] !== 1) return undefined
  const found: string[] = []
  let place = 0
  for (const [at, piece] of pieces.entries()) {
    const next = reach[at + 1] as Uint8Array
    const end = piece.kind === 'text' ? place + piece.text.length : endOf(piece, uri, place, next)
    if (piece.kind === 'run') found.push(uri.slice(place, end))
    place = end
  }
  return found
}

function marked(length: number, place: number): Uint8Array {
  const places = new Uint8Array(length + 1)
  places[place] = 1
  return places
}

/** The positions from which a piece can match so that the rest, which can begin at `next`, matches too. */
function reachOf(piece: Piece, uri: string, next: Uint8Array): Uint8Array {
  const places = new Uint8Array(uri.length + 1)
  if (piece.kind === 'text') {
    for (let at = 0; at + piece.text.length <= uri.length; at++)
      if (next[at + piece.text.length] === 1 && uri.startsWith(piece.text, at)) places[at] = 1
    return places
  }
  const { prefix, stops, least, isOptional } = piece
  // True if a run that begins or continues here reaches a position from which the rest matches.
  const runs = new Uint8Array(uri.length + 2)
  for (let at = uri.length; at >= 0; at--) {
    const goesOn = at < uri.length && isWithin(uri, at, stops)
    const further = goesOn && (runs[at + 1] === 1 || (isBoundary(uri, at + 1) && next[at + 1] === 1))
    if (further) runs[at] = 1
    const canEndHere = least === 0 && next[at] === 1
    const start = at - prefix.length
    if (start >= 0 && (further || canEndHere) && uri.startsWith(prefix, start)) places[start] = 1
  }
  if (isOptional) for (let at = 0; at <= uri.length; at++) if (next[at] === 1) places[at] = 1
  return places
}

/** The end of a variable's value: required variables match as little as possible, so that later ones match too; optional ones match as much as possible. */
function endOf(piece: Extract<Piece, { kind: 'run' }>, uri: string, place: number, next: Uint8Array): number {
  const { prefix, stops, least, isOptional } = piece
  let longestEnd: number | undefined
  if (uri.startsWith(prefix, place)) {
    for (let at = place + prefix.length; at <= uri.length; at++) {
      const length = at - place - prefix.length
      if (length >= least && next[at] === 1 && isBoundary(uri, at)) {
        if (!isOptional) return at
        longestEnd = at
      }
      if (at < uri.length && !isWithin(uri, at, stops)) break
    }
  }
  return longestEnd ?? place
}

const isWithin = (uri: string, at: number, stops: string): boolean => !stops.includes(uri.charAt(at))

/** A run does not end within a surrogate pair. */
const isBoundary = (uri: string, at: number): boolean => {
  const code = uri.charCodeAt(at)
  return !(code >= 0xdc00 && code <= 0xdfff && at > 0)
}
