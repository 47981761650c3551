import { pageSource } from '../../kit/pages.js'

let heard: (file: string) => void = () => {}

/** From now on pages of views are built in this process when they are read; each of their files is told. */
export function buildPages(onFile?: (file: string) => void): void {
  if (onFile) heard = onFile
  pageSource().build ??= async (url) => (await import('./build-page.js')).buildPage(url, (file) => heard(file))
}
