/** Words that stand everywhere, so that they tell nothing. */
const common = new Set(
  'a an and are as at be but by can do does for from had has have how i if in into is it its me my no not of on or our so that the their them there these they this to was we were what when where which who why will with you your'.split(
    ' ',
  ),
)

/** The words of a text as they are compared: lower case, without accents, and without the `s` of a plural. */
export function wordsOf(text: string): string[] {
  const plain = /[^\p{ASCII}]/u.test(text) ? text.normalize('NFKD').replace(/\p{M}+/gu, '') : text
  const words = plain.toLowerCase().match(/[\p{L}\p{N}]+/gu) ?? []
  for (let at = 0; at < words.length; at++) words[at] = singular(words[at] as string)
  return words
}

function singular(word: string): string {
  const isPlural = word.length > 3 && word.endsWith('s') && !word.endsWith('ss') && !word.endsWith('us')
  return isPlural ? word.slice(0, -1) : word
}

/** The words of a question that tell something; all of them, where none does. */
export function tellingWords(query: string): string[] {
  const words = [...new Set(wordsOf(query))]
  const telling = words.filter((word) => !common.has(word))
  return telling.length > 0 ? telling : words
}
