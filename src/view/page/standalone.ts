/** A page that is opened without a host: its notice, and its sample data. */

import type { ViewSample } from '../../kit/view.js'

/** The examples in the document; none if there are none or they cannot be read. */
export function samplesOf(document: Document): readonly ViewSample[] {
  try {
    const samples = JSON.parse(document.getElementById('jexo-sample')?.textContent ?? '[]')
    return Array.isArray(samples) ? samples : []
  } catch {
    return []
  }
}

/** Shows a notice at the top of the page that it runs without a host. */
export function showStandalone(document: Document, text: string): void {
  const note = document.createElement('p')
  note.setAttribute('role', 'note')
  note.textContent = text
  note.style.cssText =
    'margin:0;padding:8px 12px;font:13px/1.4 system-ui,sans-serif;background:#fff4d6;color:#5a4300;border-bottom:1px solid #e4c46b'
  document.body?.prepend(note)
}
