import { createRequire } from 'node:module'
import type { Browser } from 'playwright-core'

// With require: its ES module does not load in Jest's module loader.
const { chromium } = createRequire(import.meta.url)('playwright-core') as typeof import('playwright-core')

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

/** Starts the browser that `npm test` found. */
export const startBrowser = (): Promise<Browser> =>
  chromium.launch({ executablePath: process.env.JEXO_BROWSER ?? '/usr/bin/chromium', args })

let started: Promise<Browser> | undefined
/** The browser of this test file. It starts at first use and ends with the file. */
export const browserOfFile = (): Promise<Browser> => {
  started ??= startBrowser()
  return started
}
afterAll(async () => (await started)?.close())
