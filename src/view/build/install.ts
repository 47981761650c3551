import { pageSource } from '../../kit/pages.js'

let heard: (file: string) => void = () => {}

/** Builds pages of views in this process from now on, and reports each of their files. */
export function buildPages(onFile?: (file: string) => void): void {
  if (onFile) heard = onFile
  pageSource().build ??= async (url) => (await import('./build-page.js')).buildPage(url, (file) => heard(file))
}
