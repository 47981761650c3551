/** Text without markup, invisible characters and redundant spaces, cut at the end of a sentence. */
export function plainText(text: string, most: number): string {
  const plain = text
    .replace(/<!--[\s\S]*?-->/g, ' ')
    .replace(/<\/?(a|abbr|b|code|em|i|kbd|small|span|strong|sub|sup|u)(\s[^<>]*)?>/gi, '')
    .replace(/<\/?[a-zA-Z][^<>]*>/g, ' ')
    .replace(/!?\[([^\]]*)\]\([^)]*\)/g, '$1')
    .replace(/[\u200b-\u200f\u202a-\u202e\u2060-\u2064\ufeff]/g, '')
    .replace(/^[ \t]*(#+|>)[ \t]*/gm, '')
    .replace(/\*\*([^*]+)\*\*/g, '$1')
    .replace(/\s+/g, ' ')
    .trim()
  return cut(plain, most)
}

/** Shortens a text to a number of characters, at the end of a sentence if possible. */
export function cut(text: string, most: number): string {
  if (text.length <= most) return text
  const part = text.slice(0, most)
  const end = Math.max(part.lastIndexOf('. '), part.lastIndexOf('.\n'))
  return end > most / 3 ? part.slice(0, end + 1) : `${part.slice(0, part.lastIndexOf(' '))} …`
}
