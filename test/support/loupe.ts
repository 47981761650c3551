import { join } from 'node:path'
import type { Page } from 'playwright-core'
import { sharedBrowser } from './browser.js'
import { bin, Running, type RunOptions, root } from './cli.js'

export const oddServer = `exec:${process.execPath} ${join(root, 'test/support/odd-server.mjs')}`

const loupes = new Set<Running>()
afterAll(() => Promise.all([...loupes].map((loupe) => loupe.end('SIGKILL'))))

/** A running Loupe, and a page on it. */
export class LoupePage {
  readonly loupe: Running
  readonly url: string
  readonly page: Page
  /** Errors of the page itself. */
  readonly faults: string[]

  private constructor(loupe: Running, url: string, page: Page, faults: string[]) {
    this.loupe = loupe
    this.url = url
    this.page = page
    this.faults = faults
  }

  static async open(args: readonly string[], options: RunOptions = {}): Promise<LoupePage> {
    const loupe = new Running([bin, 'loupe', ...args, '--port', '0'], options)
    loupes.add(loupe)
    const [url] = await loupe.until(/http:\S+/)
    return LoupePage.at(loupe, url)
  }

  /** Another page on the same Loupe. */
  static async at(loupe: Running, url: string, looks: object = {}): Promise<LoupePage> {
    const browser = await sharedBrowser()
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, ...looks })
    page.setDefaultTimeout(90_000)
    const faults: string[] = []
    page.on('pageerror', (error) => faults.push(error.message))
    page.on('console', (message) => message.type() === 'error' && faults.push(message.text()))
    await page.goto(url)
    return new LoupePage(loupe, url, page, faults)
  }

  /** Opens a part of the first target by its address. */
  async part(key: string): Promise<void> {
    await this.page.goto(`${new URL(this.url).origin}/#/part/${encodeURIComponent(`t1 ${key}`)}`)
    await this.page.getByRole('complementary', { name: /^Part / }).waitFor()
  }

  async send(): Promise<void> {
    await this.page.getByRole('button', { name: 'Send', exact: true }).click()
  }

  /** Opens a tool and sends the values in its form. */
  async call(tool: string): Promise<void> {
    await this.part(`tool ${tool}`)
    await this.send()
  }

  result() {
    return this.page.getByRole('region', { name: 'Result', exact: true })
  }

  /** A line of the score. */
  line(text: string | RegExp) {
    return this.page.getByRole('log').getByRole('button').filter({ hasText: text })
  }

  async end(): Promise<number | null> {
    // The browser may have ended before, with its pages.
    if (!this.page.isClosed()) await this.page.close()
    return this.loupe.end()
  }
}
