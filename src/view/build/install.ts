import { pageSource } from '../../kit/pages.js'

let heard: (file: string) => void = () => {}

/** Lets this process build the documents of views, and reports each of their files. */
export function buildPages(onFile?: (file: string) => void): void {
  if (onFile) heard = onFile
  pageSource().build ??= async (url) => (await import('./build-page.js')).buildPage(url, (file) => heard(file))
}
