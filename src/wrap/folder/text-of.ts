import { optionalPackage } from '../../optional-packages.js'
import { htmlLines } from './html-text.js'
import { decoded, type TextForm, textFormOf } from './media.js'
import { type Passage, passagesOf, passagesOfPages } from './passages.js'

/** The passages of a file; none if it has no text. */
export async function passagesIn(bytes: Uint8Array, mimeType: string): Promise<Passage[]> {
  const form: TextForm = textFormOf(mimeType)
  if (form === 'none') return []
  if (form === 'pdf') return passagesOfPages(await pagesOf(bytes))
  const { text, isBinary } = decoded(bytes)
  return isBinary ? [] : passagesOf(text, form)
}

/** All words of a file for the index; empty if it has no text. */
export async function textIn(bytes: Uint8Array, mimeType: string): Promise<string> {
  const form = textFormOf(mimeType)
  if (form === 'none') return ''
  if (form === 'pdf') return (await pagesOf(bytes)).join('\n')
  const { text, isBinary } = decoded(bytes)
  return isBinary ? '' : form === 'html' ? htmlLines(text).lines.join('\n') : text
}

/** The text of each page of a PDF. */
export async function pagesOf(bytes: Uint8Array): Promise<string[]> {
  const library = await optionalPackage('unpdf', 'reading PDF files', () => import('unpdf'))
  // The library takes ownership of the bytes.
  const document = await library.getDocumentProxy(new Uint8Array(bytes), { verbosity: 0 })
  try {
    const { text } = await library.extractText(document)
    return text
  } finally {
    await document.destroy()
  }
}
