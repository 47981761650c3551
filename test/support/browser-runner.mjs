/**
 * The browser that all test files of a Jest worker share: loading the client and starting a browser take a second each.
 */
import { createRequire } from 'node:module'

const args = [
  '--no-sandbox',
  '--disable-gpu',
  '--disable-quic',
  '--no-first-run',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
  '--force-prefers-reduced-motion',
  '--disable-smooth-scrolling',
]

export class BrowserRunner {
  #started

  /** The running browser, started by the first call and again if it has ended. */
  async browser() {
    this.#started ??= start()
    const started = this.#started
    const running = await started.catch(() => undefined)
    if (running?.isConnected()) return running
    // Several calls may find that it has ended; the first of them starts it.
    if (this.#started === started) this.#started = start()
    return this.#started
  }

  /** Closes all pages, so that those of one test file do not run beside the next. */
  async closePages() {
    const running = await this.#started?.catch(() => undefined)
    await Promise.all((running?.contexts() ?? []).map((context) => context.close()))
  }
}

/** Starts the browser that `npm test` found. */
function start() {
  const { chromium } = createRequire(import.meta.url)('playwright-core')
  // The browser reads paths of files in the encoding of the locale.
  const env = { ...process.env, LC_ALL: 'C.UTF-8' }
  return chromium.launch({ executablePath: process.env.JEXO_BROWSER ?? '/usr/bin/chromium', args, env })
}
