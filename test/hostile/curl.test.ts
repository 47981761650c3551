import { commandsIn } from '../../src/wrap/curl/find-commands.js'
import { requestsInHar } from '../../src/wrap/curl/har.js'
import { requestsInHttpFile } from '../../src/wrap/curl/http-file.js'
import { leastCpuMs } from '../support/cpu.js'

const n = 50_000
const curl = (line: string) => () => commandsIn(line, 'a.sh')
const http = (body: string, type: string) => () =>
  requestsInHttpFile(`POST https://x.example/a\nContent-Type: ${type}\n\n${body}`, 'a.http')

/** Texts on which a pattern or a search could backtrack. */
test.each<[string, () => unknown]>([
  ['a list that is not closed', curl(`curl 'http://x.example/{${','.repeat(n)}'`)],
  ['many patterns', curl(`curl 'http://x.example/${'[1-1]'.repeat(2000)}'`)],
  ['blanks in a form field', curl(`curl http://x.example -F 'a=${' '.repeat(n)}x'`)],
  ['semicolons in a form field', curl(`curl http://x.example -F 'a=${'; '.repeat(n)}x'`)],
  ['lines that go on after ^', curl(`curl http://x.example ^\n${'-s ^\n'.repeat(n / 5)}`)],
  ['here-documents without an end', curl('curl http://x.example -d @- <<A\n'.repeat(1000))],
  ['pipes on one line', curl('echo a | curl http://x.example -d @- | '.repeat(2000))],
  ['outputs that are not closed', curl(`curl http://x.example ${"$('".repeat(n)}`)],
  ['empty lines in a form', http(`a=1${'\n'.repeat(n)}b`, 'application/x-www-form-urlencoded')],
  ['blanks in a form', http(`a=1&${' \n'.repeat(n)}b`, 'application/x-www-form-urlencoded')],
  [
    'names in the head of a part',
    http(
      `--x\nContent-Disposition: form-data; ${' name="'.repeat(n)}\n\na\n--x--`,
      'multipart/form-data; boundary=x',
    ),
  ],
  [
    'parts of a recording',
    () =>
      requestsInHar(
        JSON.stringify({
          log: {
            entries: [
              {
                request: {
                  ...{ method: 'POST', url: 'https://x.example', headers: [] },
                  postData: { mimeType: 'multipart/form-data; boundary=x', text: '--x\n'.repeat(n) },
                },
              },
            ],
          },
        }),
        'a.har',
      ),
  ],
])('%s is read quickly', (_what, read) => {
  expect(leastCpuMs(1000, read)).toBeLessThan(1000)
})

test('a reversed range is not a pattern, and its request is read', () => {
  const { requests } = commandsIn("curl 'http://x.example/[5-3]'", 'a.sh')
  expect(requests.map(({ url }) => url)).toStrictEqual(['http://x.example/[5-3]'])
})
