/** Takes pictures of the examples' pages, each started as `npm run example` starts it. */
import { spawn } from 'node:child_process'
import { mkdtempSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as pause } from 'node:timers/promises'
import { chromium } from 'playwright-core'
import { prepareExamples, root } from './prepare.mjs'

const shots = {
  'rehearsal-room': {
    url: 'http://127.0.0.1:4876/',
    args: ['--', '../apiary/apiary.kit.ts'],
    async play(page) {
      const say = async (text) => {
        await page.getByLabel('Your message').fill(text)
        await page.keyboard.press('Enter')
      }
      await page.getByText('The model sees 23 tools.').waitFor()
      await say('What is the reading of the scale under ML-04?')
      await page.getByRole('button', { name: 'For this conversation' }).click()
      await page.getByText(/^weigh_hive returned/).waitFor()
      await page.getByText('the result', { exact: true }).click()
      await say('And ML-07?')
      await page
        .getByText(/^weigh_hive returned/)
        .nth(1)
        .waitFor()
      await say('Move hive ML-04 to Quarry Field')
      await page.getByRole('button', { name: 'Approve once' }).waitFor()
    },
  },
  'hive-board': {
    url: 'http://127.0.0.1:4881/',
    async play(page) {
      await page.getByText('live', { exact: true }).waitFor()
      // Waits for enough readings to draw a line.
      await pause(45_000)
    },
  },
  'sign-in': {
    example: 'gated-apiary',
    url: 'http://127.0.0.1:4884/mcp',
    async play(page) {
      const loupe = spawn(process.execPath, [join(root, 'bin/jexo.mjs'), 'loupe', this.url, '--port', '0'], {
        env: { ...process.env, XDG_CONFIG_HOME: mkdtempSync(join(tmpdir(), 'sign-in-')) },
        stdio: ['ignore', 'pipe', 'pipe'],
      })
      try {
        await page.goto(await Promise.race([addressIn(loupe.stdout), addressIn(loupe.stderr)]))
        const [asked] = await Promise.all([
          page.context().waitForEvent('page'),
          page.getByRole('link', { name: /^Sign in at/ }).click(),
        ])
        await asked.getByRole('button', { name: /Odo/ }).click()
        await asked.getByText('You are signed in').waitFor()
        await page.getByText('ping').first().waitFor()
        await page.getByRole('log').getByRole('button').filter({ hasText: 'sign-in · token' }).click()
        await pause(400)
        await page
          .getByRole('log')
          .getByRole('button')
          .filter({ hasText: 'sign-in · challenge' })
          .scrollIntoViewIfNeeded()
      } finally {
        setTimeout(() => loupe.kill(), 1500)
      }
    },
  },
  'view-dark': {
    example: 'rehearsal-room',
    colorScheme: 'dark',
    url: 'http://127.0.0.1:4876/',
    args: ['--', '../hive-visit/hive-visit.kit.ts'],
    async play(page) {
      await page.getByText('The model sees 2 tools.').waitFor()
      await page.getByLabel('Your message').fill('Plan a hive visit')
      await page.keyboard.press('Enter')
      await page.getByRole('button', { name: 'Approve once' }).click()
      const view = page.frameLocator('iframe').frameLocator('iframe')
      await view.getByRole('button', { name: 'ML-05 on the map' }).click()
      await view.getByRole('heading', { name: 'Visits to ML-05' }).waitFor()
      await pause(600)
      await page.getByRole('region', { name: 'Page of plan_hive_visit' }).evaluate((at) => at.scrollIntoView())
    },
  },
}

export async function examplePages(isWanted, folder, browserFlags) {
  for (const [name, shot] of Object.entries(shots)) {
    if (!isWanted(name)) continue
    const { url, args = [], example = name, colorScheme = 'light' } = shot
    prepareExamples([example])
    const running = spawn('npm', ['start', '--silent', ...args], {
      cwd: join(root, 'examples', example),
      stdio: ['ignore', 'pipe', 'ignore'],
      detached: true,
    })
    // The printed address of a local page contains a token.
    const printed = addressIn(running.stdout)
    const browser = await chromium.launch({
      executablePath: process.env.JEXO_BROWSER ?? '/usr/bin/chromium',
      args: browserFlags,
    })
    try {
      await untilThere(url)
      const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, colorScheme })
      await page.goto(await Promise.race([printed, pause(3000, url)]))
      await shot.play(page)
      await pause(400)
      await page.screenshot({ path: join(folder, `${name}.png`) })
      process.stdout.write(`${name}.png taken\n`)
    } finally {
      await browser.close()
      process.kill(-running.pid, 'SIGTERM')
    }
  }
}

/** The address with a token that a program prints; never resolves if there is none. */
function addressIn(stream) {
  let text = ''
  return new Promise((resolve) => {
    stream.setEncoding('utf8').on('data', (chunk) => {
      text += chunk
      const [address] = /http:\/\/\S+[?&]\w+=\S+/.exec(text) ?? []
      if (address !== undefined) resolve(address)
    })
  })
}

async function untilThere(url) {
  for (let tries = 0; tries < 120; tries++) {
    if (await fetch(url).catch(() => undefined)) return
    await pause(250)
  }
  throw new Error(`nothing answers at ${url}`)
}
