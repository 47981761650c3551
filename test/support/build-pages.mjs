/** Builds pages for tests, outside Jest: the bundler's native part does not work in its sandbox. One URL a line; one answer a line. */
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
