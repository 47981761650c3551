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
