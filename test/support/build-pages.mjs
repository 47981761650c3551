/** Builds pages for tests outside Jest, since the native part of the bundler does not work in its sandbox. Reads one URL a line, writes one result a line. */
import { createInterface } from 'node:readline'
import { buildPage } from '../../dist/view/build/build-page.js'

for await (const url of createInterface({ input: process.stdin })) {
  const files = []
  const answer = await buildPage(url, (file) => files.push(file)).then(
    (html) => ({ html, files }),
    ({ code, message }) => ({ code, message }),
  )
  process.stdout.write(`${JSON.stringify(answer)}\n`)
}
