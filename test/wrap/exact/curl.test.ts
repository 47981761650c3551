import { execFileSync } from 'node:child_process'
import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { defineKit } from 'jexo'
import { planCurl, wrapCurl } from 'jexo/curl'
import { connect } from 'jexo/node'
import { curlOption } from '../../../src/wrap/curl/options.js'
import { newFolder, run } from '../../support/cli.js'
import { type Seen, Upstream } from '../../support/upstream.js'

const curl = process.env.JEXO_CURL ?? '/usr/bin/curl'
const folder = newFolder()
writeFileSync(join(folder, 'note.txt'), 'calm bees')
let upstream: Upstream
beforeAll(async () => {
  upstream = await Upstream.start(() => ({ body: {} }))
})
afterAll(() => upstream.end())

/** The parts of a request that must be equal; boundary and agent may differ. */
function shown({ method, target, headers, body }: Seen): object {
  const boundary = /boundary=(.*)$/.exec(headers['content-type'] ?? '')?.[1] ?? '\0'
  const plain = (text: string) => text.replaceAll(boundary, 'B')
  const named = ['content-type', 'authorization', 'cookie', 'range', 'referer', 'x-site'].flatMap((name) =>
    headers[name] === undefined ? [] : [[name, plain(headers[name])]],
  )
  return {
    method,
    target,
    headers: Object.fromEntries(named),
    body: plain(body).replaceAll(/content-disposition|content-type/gi, (name) => name.toLowerCase()),
  }
}

async function byTool(line: string, number: number, args: object): Promise<object[]> {
  const file = join(folder, `line_${number}.sh`)
  writeFileSync(file, line)
  const parts = await wrapCurl(file, { writes: true, catalogue: false, allowPrivateNetwork: true } as never)
  const settings = { API_USER: 'keeper', API_PASSWORD: 'wax', API_A: '1', API_B: '2' }
  const link = await connect(defineKit({ name: 'lines', version: '1', about: 'x', parts }), {
    environment: settings,
  })
  const before = upstream.seen.length
  for (const { name } of await link.tools()) {
    const { isError, content } = await link.call(name, args as never)
    expect([isError, content.map((block) => (block as { text?: string }).text)]).toMatchObject([
      undefined,
      expect.anything(),
    ])
  }
  await link.close()
  return upstream.seen.slice(before).map(shown)
}

/** Lines with `URL` in place of the address of the API, as a shell runs them. */
const lines: [string, object?][] = [
  [`curl URL/hives`],
  [`curl --max-time 5 --retry-max-time 3 --proto =http --http1.1 -w '%{http_code}' -o /dev/null URL/hives`],
  [`curl --keepalive-time 2 --expect100-timeout 1 --noproxy '*' --tls-max 1.3 URL/values`],
  [`curl -sSLf URL/a 2>/dev/null`],
  [`curl URL/b -o /dev/null >/dev/null 2>&1 -H 'X-Site: Ivy'`],
  [`curl -XDELETE URL/hives/ML-01`],
  [`curl --refere http://b.example/ URL/short`],
  [`curl URL/json --json '{"a":' --json '1}'`],
  [`curl URL/pairs -d a=1 -d 'b=2 3'`],
  [`curl -G URL/find -d site=Ivy --data-urlencode 'q=a b&c'`],
  [`curl --url-query 'q=a b' --url-query '+raw=1' URL/find2`],
  [`curl URL/enc --data-urlencode 'a=b c' --data-urlencode '=d e' --data-urlencode 'f g'`],
  [`curl URL/named --data-urlencode note@note.txt`, { note: 'calm bees' }],
  [`curl URL/form -F 'a=1;type=text/plain' -F 'b="x;y"' --form-string 'c=@d;type=e'`],
  [`curl URL/read -F 'note=<note.txt'`, { note: 'calm bees' }],
  [`curl URL/octal -d $'\\101\\x42\\u0043\\303\\251'`],
  [`curl URL/range -r 0-99`],
  [`curl URL/ref -e 'http://a.example/;auto'`],
  [`curl URL/cookie -b 'a=1; b=2'`],
  [`curl -u keeper:wax URL/basic`],
  [`curl URL/n1 --next -X POST URL/n2 -d x=1`],
  [`curl URL/two1 URL/two2`],
  [`curl URL/here -d @- <<'EOF'\n{"a": 1,\n "b": "$HOME"}\nEOF`],
  [`curl URL/here2 --data-binary @- <<EOF\na\nb\nEOF`],
  [`curl URL/string --json @- <<< '{"a":1}'`],
  [`echo '{"a":1}' | curl URL/echo -H 'content-type: application/json' -d @-`],
  [`printf '%s' 'x=1' | curl URL/printf -d @-`],
  [`echo -n x=2 | curl -d @- URL/echo-n`],
  [`curl URL/continued \\\n  -H 'X-Site: Ivy' \\\n  -d x=1`],
  [`curl "URL/quoted?q=a%20b&r=\\"c\\""`],
  [`curl -T note.txt URL/upload/`, { body: Buffer.from('calm bees').toString('base64') }],
  [`curl -H 'X-Site;' -H 'Accept:' URL/empty`],
  [`curl -I URL/head`],
  [`curl -d 'tags[]=a&n=1&tags[]=b' URL/arr`],
  [`curl URL/parts -F a=1 -F a=3 -F b=2`],
  [`curl 'URL/semi;v=1/x'`],
  [`curl URL/bignumber --json '{"id":12345678901234567890,"kg":1.50}'`],
]

test.each(lines.map((line, at) => [line[0], at] as const))('%s sends what curl sends', async (line, at) => {
  const real = line.replaceAll('URL', upstream.url).replace(/(^|\| )curl/, `$1${curl}`)
  const before = upstream.seen.length
  await run('/bin/bash', ['-c', real], { cwd: folder })
  const wanted = upstream.seen.slice(before).map(shown)
  expect(wanted.length).toBeGreaterThan(0)
  const got = await byTool(line.replaceAll('URL', upstream.url), at, lines[at]?.[1] ?? {})
  expect(got).toStrictEqual(wanted)
})

test.each([
  ['curl --digest -u a:b URL/x', /--digest changes the request/],
  ['curl --aws-sigv4 aws:amz URL/x', /--aws-sigv4 changes the request/],
  ['curl -K settings.txt URL/x', /--config changes the request/],
  ['curl -n URL/x', /--netrc changes the request/],
  ['curl -z yesterday URL/x', /--time-cond changes the request/],
  ['curl --request-target /y URL/x', /--request-target changes the request/],
  ['curl --no-such-option URL/x', /the option --no-such-option is not known/],
  ['curl -b cookies.txt URL/x', /its cookies come from a file/],
  ['curl -H @headers.txt URL/x', /its headers come from a file/],
  ['curl URL/x -d a=1 -d @rest.txt', /joins data with the content of a file/],
  ['curl -G URL/x -d @rest.txt', /its query comes from a file/],
  ['curl URL/x -F "a=1;headers=\\"X: y\\""', /has its own headers or encoder/],
])('%s is refused, and the next line is read', async (line, reason) => {
  const file = join(folder, 'refused.sh')
  writeFileSync(file, `${line}\ncurl URL/next`.replaceAll('URL', upstream.url))
  const plan = await planCurl(file)
  expect(plan.skipped[0]).toMatchObject({ where: 'refused.sh:1', reason: expect.stringMatching(reason) })
  expect(plan.operations.map(({ path }) => path)).toStrictEqual(['/next'])
})

test.each([
  ['the output of a command', `curl URL/x -d "at=$(date +%s)"`, ['date_s']],
  ['old-style output of a command', 'curl URL/x -d at=`date`', ['date']],
  ['a placeholder in braces', 'curl URL/hives/{hive}', ['hive']],
])('%s becomes an argument', async (_what, line, names) => {
  const file = join(folder, 'given.sh')
  writeFileSync(file, line.replaceAll('URL', upstream.url))
  const { operations } = await planCurl(file, { writes: true })
  expect(Object.keys(operations[0]?.input.properties ?? {})).toStrictEqual(names)
})

test('continued lines of the Windows command prompt and of PowerShell are joined', async () => {
  const file = join(folder, 'windows.sh')
  const cmd = 'curl ^"URL/cmd?a=1^&b=2^" ^\n  -H ^"X-Site: Ivy^" ^\n  --data-raw ^"^{^\\^"a^\\^":1^}^"'
  writeFileSync(
    file,
    `${cmd}\n\ncurl.exe URL/ps \`\n  -H "X-Site: Oak" \`\n  -d "x=1"\n`.replaceAll('URL', upstream.url),
  )
  const { operations, skipped } = await planCurl(file, { writes: true })
  expect(skipped).toStrictEqual([])
  expect(operations.map(({ method, path }) => `${method} ${path}`)).toStrictEqual(['POST /cmd', 'POST /ps'])
})

test('a URL with a glob pattern gives examples of one request', async () => {
  const file = join(folder, 'glob.sh')
  writeFileSync(file, `curl "${upstream.url}/hives/ML-{01,02}/days/[1-3]"`)
  const { operations } = await planCurl(file)
  expect(operations).toHaveLength(1)
  expect(Object.keys(operations[0]?.input.properties ?? {})).toHaveLength(2)
})

test('every curl option is known, and takes a value if it does in curl', () => {
  const help = execFileSync(curl, ['--help', 'all'], { encoding: 'utf8' })
  const found = [...help.matchAll(/^ *(?:(-\S), +)?(--[\w.-]+)( <[^>]*>| \[protocol)?/gm)]
  expect(found.length).toBeGreaterThan(200)
  for (const [, short, long = '', value] of found)
    for (const name of [short, long].filter((one) => one !== undefined))
      expect({ name, takesValue: curlOption(name).takesValue }).toStrictEqual({
        name,
        takesValue: value !== undefined,
      })
})
