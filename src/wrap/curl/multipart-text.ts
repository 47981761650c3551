import type { RecordedField } from './recorded.js'

/** Maximum length of a part's headers, in characters. */
const maxHead = 2000

/** The fields of a multipart body in text form; undefined if it is not one. */
export function multipartFields(text: string, mediaType: string): RecordedField[] | undefined {
  const [, quoted, bare] = /boundary=(?:"([^"]{1,200})"|([^;\s]{1,200}))/i.exec(mediaType) ?? []
  const boundary = quoted ?? bare ?? /^--([^\r\n]{1,200})\r?\n/.exec(text)?.[1]
  if (boundary === undefined) return undefined
  const parts = `\n${text.replaceAll('\r\n', '\n')}`.split(`\n--${boundary}`).slice(1)
  const fields = parts.flatMap((part): (RecordedField | undefined)[] => {
    if (part.startsWith('--')) return []
    const [whole = '', ...rest] = part.replace(/^\n/, '').split('\n\n')
    const head = whole.slice(0, maxHead)
    const content = rest.join('\n\n')
    const name = /^content-disposition:[^\n]*[;\s]name="([^"\n]*)"/im.exec(head)?.[1]
    if (name === undefined) return [undefined]
    const type = /^content-type:\s*([^\n]+)$/im.exec(head)?.[1]?.trim()
    const isFile = /^content-disposition:[^\n]*\sfilename\*?=/im.test(head) || /^<\s+\S/.test(content)
    const fileName = isFile
      ? /^content-disposition:[^\n]*\sfilename="([^"\n]{1,200})"/im.exec(head)?.[1]
      : undefined
    return [
      {
        name,
        ...(isFile ? {} : { value: content }),
        ...(fileName === undefined ? {} : { fileName }),
        ...(type === undefined ? {} : { mediaType: type }),
      },
    ]
  })
  return fields.length > 0 && fields.every((field) => field !== undefined) ? (fields as RecordedField[]) : undefined
}
