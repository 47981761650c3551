import { createRequire } from 'node:module'
import type { Browser } from 'playwright-core'

// By require: its module form does not load inside Jest's own loader.
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
