import { stemmer } from 'stemmer'

/** Words that are too common to be useful. */
const common = new Set(
  'a an and are as at be but by can do does for from had has have how i if in into is it its me my no not of on or our so that the their them there these they this to was we were what when where which who why will with you your'.split(
    ' ',
  ),
)

/** Scripts without spaces between words. */
const unspaced =
  /[\p{Script=Han}\p{Script=Hiragana}\p{Script=Katakana}\p{Script=Thai}\p{Script=Lao}\p{Script=Khmer}\p{Script=Myanmar}]+/u
let segmenter: Intl.Segmenter | undefined
/** Created with the first such word, since that takes 20 ms. */
const segmentsOf = (word: string) => {
  segmenter ??= new Intl.Segmenter('und', { granularity: 'word' })
  return segmenter.segment(word)
}

/**
 * The words of a text in normalized form: lower case, without accents, stemmed. A word in camel case counts as a whole
 * and in pieces; scripts without spaces are segmented.
 */
export function wordsOf(text: string): string[] {
  const isAscii = !/[^\p{ASCII}]/u.test(text)
  const plain = isAscii
    ? text
    : text
        .normalize('NFKD')
        .replace(/\p{M}+/gu, '')
        .normalize('NFC')
  const words: string[] = []
  for (const [found] of plain.matchAll(/[\p{L}\p{N}]+/gu)) {
    if (!isAscii && unspaced.test(found)) {
      for (const { segment } of segmentsOf(found)) words.push(segment.toLowerCase())
      continue
    }
    words.push(stemOf(found.toLowerCase()))
    if (/[a-z\d][A-Z]/.test(found))
      for (const piece of found.split(/(?<=[a-z\d])(?=[A-Z])/)) words.push(stemOf(piece.toLowerCase()))
  }
  return words
}

/** Cached stems, since most words repeat. */
const stems = new Map<string, string>()
const mostStems = 50_000

/** `feeding` and `feeds` become `feed`; words with digits or non-English letters stay. */
function stemOf(word: string): string {
  if (word.length < 4 || word.length > 40 || !/^[a-z]+$/.test(word)) return word
  const known = stems.get(word)
  if (known !== undefined) return known
  if (stems.size >= mostStems) stems.clear()
  const stem = stemmer(word)
  stems.set(word, stem)
  return stem
}

/** The significant words of a question; all of them if none is significant. */
export function tellingWords(query: string): string[] {
  const words = [...new Set(wordsOf(query))]
  const telling = words.filter((word) => !commonStems.has(word))
  return telling.length > 0 ? telling : words
}

const commonStems = new Set([...common].map((word) => stemOf(word)))
