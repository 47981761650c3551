import type { ViewContext } from '../wire/messages.js'

const variableName = /^--[\w-]{1,100}$/
const mostVariables = 500

/** Applies the theme, the styles and the language of the host: CSS variables, `data-theme`, `color-scheme`, `lang`. */
export function applyContext(
  document: Document,
  { theme, styles, locale, safeAreaInsets, displayMode }: ViewContext,
): void {
  const { documentElement: root } = document
  if (theme === 'light' || theme === 'dark') {
    root.dataset.theme = theme
    root.style.colorScheme = theme
  }
  if (typeof locale === 'string' && /^[\w-]{2,35}$/.test(locale)) root.lang = locale
  if (typeof displayMode === 'string') root.dataset.displayMode = displayMode
  const { variables, css } = styles ?? {}
  for (const [name, value] of Object.entries(variables ?? {}).slice(0, mostVariables))
    if (variableName.test(name) && typeof value === 'string') root.style.setProperty(name, value.slice(0, 500))
  for (const side of ['top', 'right', 'bottom', 'left'] as const) {
    const inset = safeAreaInsets?.[side]
    if (typeof inset === 'number' && inset >= 0) root.style.setProperty(`--safe-area-${side}`, `${inset}px`)
  }
  if (typeof css?.fonts === 'string') styleOf(document, 'jexo-host-fonts').textContent = css.fonts.slice(0, 50_000)
}

function styleOf(document: Document, id: string): HTMLElement {
  const known = document.getElementById(id)
  if (known) return known
  const made = document.createElement('style')
  made.id = id
  document.head.append(made)
  return made
}

/**
 * Reports changes of the size of the page's content in CSS pixels, at most once per frame. Returns a function that ends
 * this.
 */
export function reportSize(
  document: Document,
  report: (size: { width: number; height: number }) => void,
): () => void {
  const { documentElement: root, defaultView: view } = document
  if (!view?.ResizeObserver) return () => {}
  let last = ''
  let planned = 0
  const measure = () => {
    planned = 0
    // Without the height of the frame, since a page that shrank would otherwise not report it.
    const before = root.style.height
    root.style.height = 'max-content'
    const height = Math.ceil(root.getBoundingClientRect().height)
    root.style.height = before
    const size = { width: Math.ceil(view.innerWidth), height }
    if (last === `${size.width} ${size.height}`) return
    last = `${size.width} ${size.height}`
    report(size)
  }
  const observer = new view.ResizeObserver(() => {
    planned ||= view.requestAnimationFrame(measure)
  })
  observer.observe(root)
  if (document.body) observer.observe(document.body)
  planned = view.requestAnimationFrame(measure)
  return () => {
    observer.disconnect()
    view.cancelAnimationFrame(planned)
  }
}
