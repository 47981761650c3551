import { join } from 'node:path'
import type { Page } from 'playwright-core'
import { sharedBrowser } from './browser.js'
import { Running, root } from './cli.js'

export const exampleFolder = (name: string): string => join(root, 'examples', name)

/** The built page of an example, served by Vite's preview; `env` names its server. */
export async function previewOf(
  name: string,
  env: Record<string, string> = {},
): Promise<{ running: Running; url: string }> {
  const running = new Running(
    [join(root, 'node_modules/vite/bin/vite.js'), 'preview', '--host', '127.0.0.1', '--port', '0'],
    { cwd: exampleFolder(name), env: { ...process.env, ...env, NO_COLOR: '1' } },
  )
  const [url] = await running.until(/http:\/\/127\.0\.0\.1:\d+\//)
  return { running, url }
}

/** A page that records its errors. */
export async function openPage(url: string): Promise<{ page: Page; faults: string[] }> {
  const browser = await sharedBrowser()
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
  page.setDefaultTimeout(90_000)
  const faults: string[] = []
  page.on('pageerror', (error) => faults.push(error.message))
  await page.goto(url)
  return { page, faults }
}
