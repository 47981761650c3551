import { existsSync, mkdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { defineKit } from 'jexo'
import {
  type DescribedArgument,
  type DescribedCommand,
  planCommand,
  type WrapCommandOptions,
  wrapCommand,
} from 'jexo/command'
import type { Link } from 'jexo/link'
import { connect } from 'jexo/node'
import { commandLine } from '../../src/wrap/command/command-line.js'
import { commandsSchema } from '../../src/wrap/command/description.js'
import { aboutIn, argumentsIn, helpInManual, subcommandsIn } from '../../src/wrap/command/help.js'
import { newFolder, root } from '../support/cli.js'
import { leastCpuMs } from '../support/cpu.js'

const folder = newFolder()
writeFileSync(join(folder, 'hives.txt'), 'ML-01 41\nML-02 38\n')
writeFileSync(join(folder, '-dash.txt'), 'a file whose name begins with a dash\n')
mkdirSync(join(folder, 'inner'))
symlinkSync('/etc', join(folder, 'out'))

const links: Link[] = []
afterEach(() => Promise.all(links.splice(0).map((link) => link.close())))

/** A link to a kit with one tool, `run`. */
async function linkTo(
  program: string,
  command: Omit<DescribedCommand, 'tool' | 'about'>,
  options: WrapCommandOptions = {},
) {
  const description = { version: 1, program, commands: [{ tool: 'run', about: 'Runs.', ...command }] } as const
  const link = await connect(
    defineKit({
      name: 'programs',
      version: '1.0.0',
      parts: await wrapCommand(description, { folder, ...options }),
    }),
  )
  links.push(link)
  return link
}
const node = (code: string) => ({ run: ['-e', code] })
const textOf = ({ content }: Awaited<ReturnType<Link['call']>>) => (content[0] as { text: string }).text

describe('the command line', () => {
  const command = (given: Record<string, DescribedArgument>, more = {}): DescribedCommand => ({
    tool: 'a',
    about: 'A.',
    arguments: given,
    ...more,
  })
  test.each<[string, DescribedCommand, Record<string, unknown>, readonly string[]]>([
    [
      'flags by their forms',
      command({
        author: { flag: '--author' },
        most: { flag: '-n', type: 'integer' },
        e: { flag: '-e', join: 'nothing' },
        quiet: { flag: '-q', type: 'boolean' },
        loud: { flag: '--loud', type: 'boolean' },
      }),
      { author: '-x', most: 5, e: '-y', quiet: true, loud: false },
      ['--author=-x', '-n', '5', '-e-y', '-q'],
    ],
    [
      'operands after --',
      command({ all: { flag: '--all', type: 'boolean' }, files: { repeat: true } }, { run: ['log'] }),
      { all: true, files: ['--output=/etc/passwd', '$(reboot)', 'a b\nc', '*'] },
      ['log', '--all', '--', '--output=/etc/passwd', '$(reboot)', 'a b\nc', '*'],
    ],
    [
      'defaults, and nothing for missing arguments',
      command({ most: { flag: '--most', default: 3 }, other: { flag: '--other' } }),
      {},
      ['--most=3'],
    ],
    [
      'files below the folder',
      command({ file: { type: 'file' }, into: { type: 'file', flag: '--into' } }),
      { file: 'inner/../-dash.txt', into: 'inner/new.txt' },
      ['--into=inner/new.txt', '--', './-dash.txt'],
    ],
    [
      'no -- where the program does not know it',
      command({ word: {} }, { separator: false }),
      { word: 'hive' },
      ['hive'],
    ],
  ])('%s', (_name, described, input, args) => {
    expect(commandLine(described, input as never, folder).args).toStrictEqual(args)
  })

  test.each<[string, DescribedCommand, Record<string, unknown>, RegExp]>([
    [
      'a value that would be an option',
      command({ author: { flag: '-a' } }),
      { author: '--exec=reboot' },
      /begins with a dash/,
    ],
    [
      'an operand that would be an option',
      command({ word: {} }, { separator: false }),
      { word: '-rf' },
      /begins with a dash/,
    ],
    ['NUL', command({ word: {} }), { word: 'a\0b' }, /NUL/],
    ['a megabyte', command({ word: {} }), { word: 'x'.repeat(1_000_000) }, /longer than 100000/],
    [
      'ten thousand words',
      command({ words: { repeat: true } }),
      { words: Array.from({ length: 20_000 }, () => 'x'.repeat(100)) },
      /longer than 1000000/,
    ],
    [
      'a file above the folder',
      command({ file: { type: 'file' } }),
      { file: '../secret' },
      /not a path in the folder/,
    ],
    ['an absolute path', command({ file: { type: 'file' } }), { file: '/etc/passwd' }, /not a path in the folder/],
    [
      'a link that leads out',
      command({ file: { type: 'file' } }),
      { file: 'out/passwd' },
      /not a path in the folder/,
    ],
    [
      'a file to be made behind such a link',
      command({ file: { type: 'file' } }),
      { file: 'out/new/deep' },
      /not a path in the folder/,
    ],
    ['an empty path', command({ file: { type: 'file' } }), { file: '' }, /not a path in the folder/],
  ])('%s is refused', (_name, described, input, reason) => {
    expect(() => commandLine(described, input as never, folder)).toThrow(reason)
  })
})

describe('a program', () => {
  test('reads stdin and files, and returns text, lines, JSON or bytes', async () => {
    const sort = await linkTo('sort', {
      arguments: { text: { stdin: true }, reverse: { flag: '-r', type: 'boolean' } },
      output: 'lines',
    })
    expect((await sort.call('run', { text: 'b\na\nc\n', reverse: true })).structuredContent).toStrictEqual({
      lines: ['c', 'b', 'a'],
    })
    const cat = await linkTo('cat', { arguments: { file: { type: 'file' } } })
    expect(textOf(await cat.call('run', { file: '-dash.txt' }))).toContain('begins with a dash')
    const json = await linkTo(
      process.execPath,
      {
        ...node(
          'console.log(JSON.stringify([process.cwd() === process.argv[1], Object.keys(process.env).includes("HIVE_KEY")]))',
        ),
        arguments: { where: {} },
        separator: false,
        output: 'json',
      },
      { env: ['HIVE_KEY'] },
    )
    process.env.HIVE_KEY = 'k'
    expect((await json.call('run', { where: 'x' })).structuredContent).toStrictEqual({ value: [false, false] })
    const image = await linkTo(process.execPath, {
      ...node('process.stdout.write(Buffer.from([137,80,78,71]))'),
      output: 'bytes',
      mimeType: 'image/png',
    })
    expect((await image.call('run')).content).toStrictEqual([
      { type: 'image', mimeType: 'image/png', data: 'iVBORw==' },
    ])
    expect((await image.tools())[0]).toMatchObject({ annotations: { readOnlyHint: false, destructiveHint: true } })
  })

  test('that fails reports its exit code, its meaning, and stderr', async () => {
    const failing = await linkTo(process.execPath, {
      ...node('console.error("no such hive"); process.exit(3)'),
      exits: { 3: 'the hive is unknown' },
    })
    expect(await failing.call('run')).toMatchObject({ isError: true })
    expect(textOf(await failing.call('run'))).toMatch(/ended with code 3: the hive is unknown\.\nno such hive$/)
    const grep = await linkTo('grep', {
      arguments: { text: {}, file: { type: 'file' } },
      okExits: [0, 1],
      exits: { 1: 'nothing was found' },
    })
    expect(textOf(await grep.call('run', { text: 'nothing', file: 'hives.txt' }))).toBe('nothing was found')
    expect(textOf(await grep.call('run', { text: 'ML-02', file: 'hives.txt' }))).toBe('ML-02 38\n')
    const missing = await linkTo('/none/program', {})
    expect(textOf(await missing.call('run'))).toMatch(/^The program behind this tool is not installed/)
  })

  test.each<[string, string, Partial<WrapCommandOptions>, RegExp]>([
    [
      'that writes without end',
      'const s = "x".repeat(65536); const w = () => { while (process.stdout.write(s)); process.stdout.once("drain", w) }; w()',
      { maxBytes: 200_000 },
      /wrote more than 200000 bytes/,
    ],
    [
      'that hangs and ignores signals',
      'process.on("SIGTERM", () => {}); setInterval(() => {}, 1000)',
      { timeoutMs: 300 },
      /stopped after 300 ms/,
    ],
    [
      'that writes binary data',
      'process.stdout.write(Buffer.from([255, 254, 0]))',
      {},
      /3 bytes that are not text/,
    ],
    ['that asks for a terminal', 'require("fs").openSync("/dev/tty", "r+")', {}, /ENXIO|no such device/],
  ])('%s is stopped or refused', async (_name, code, options, reason) => {
    const link = await linkTo(process.execPath, node(code), options)
    const result = await link.call('run')
    expect(result.isError).toBe(true)
    expect(textOf(result)).toMatch(reason)
  })

  test('that leaves child processes behind ends with them, on its own and on cancellation', async () => {
    const mark = join(folder, 'alive.txt')
    const leaving = `require("child_process").spawn(process.execPath, ["-e", "setTimeout(() => require('fs').writeFileSync('${mark}', 'x'), 1500)"], { stdio: "inherit" }); `
    const link = await linkTo(process.execPath, node(`${leaving}setTimeout(() => process.exit(0), 100)`))
    await link.call('run')
    const waiting = await linkTo(process.execPath, node(`${leaving}setInterval(() => {}, 1000)`))
    const controller = new AbortController()
    const call = waiting.call('run', {}, { signal: controller.signal })
    setTimeout(() => controller.abort(), 300)
    await expect(call).rejects.toThrow()
    await new Promise((resolve) => setTimeout(resolve, 2500))
    expect(existsSync(mark)).toBe(false)
  })

  test('reports progress by a pattern on stderr', async () => {
    const link = await linkTo(process.execPath, {
      ...node('process.stderr.write("10%\\r55% done\\rno\\n100%\\n")'),
      progress: '(\\d+)%',
    })
    const seen: unknown[] = []
    expect(textOf(await link.call('run', {}, { onProgress: ({ progress }) => seen.push(progress) }))).toContain(
      '100%',
    )
    expect(seen).toStrictEqual([10, 55, 100])
  })
})

describe('a description', () => {
  const file = (text: string) => {
    const path = join(newFolder(), 'a.commands.yaml')
    writeFileSync(path, text)
    return pathToFileURL(path)
  }

  test('can be filtered, and its file matches the published schema', async () => {
    const described = file(
      'version: 1\nprogram: git\ncommands:\n  - { tool: a, about: A. }\n  - { tool: b, about: B., effect: read, arguments: { n: { type: integer, flag: -n, required: true, maximum: 5 } } }\n',
    )
    expect(await planCommand(described, { only: ['b'], prefix: 'git_' })).toMatchObject({
      program: 'git',
      tools: [
        {
          name: 'git_b',
          input: {
            properties: { n: { type: 'integer', maximum: 5 } },
            required: ['n'],
            additionalProperties: false,
          },
        },
      ],
    })
    expect(JSON.parse(readFileSync(join(root, 'schemas/commands.schema.json'), 'utf8'))).toStrictEqual(
      commandsSchema,
    )
  })

  test.each([
    ['no YAML', 'version: [', /line 1/],
    ['another version', 'version: 2\nprogram: a\ncommands: [{ tool: a, about: A. }]', /version/],
    [
      'a field that means nothing',
      'version: 1\nprogram: a\ncommands: [{ tool: a, about: A., shell: true }]',
      /shell/,
    ],
    [
      'an invalid flag',
      'version: 1\nprogram: a\ncommands: [{ tool: a, about: A., arguments: { x: { flag: "rm -rf" } } }]',
      /flag/,
    ],
    [
      'two of one name',
      'version: 1\nprogram: a\ncommands: [{ tool: a, about: A. }, { tool: a, about: B. }]',
      /two commands have the tool a/,
    ],
    [
      'an invalid pattern',
      'version: 1\nprogram: a\ncommands: [{ tool: a, about: A., progress: "(" }]',
      /not a regular expression/,
    ],
  ])('with %s is refused', async (_name, text, reason) => {
    await expect(planCommand(file(text))).rejects.toMatchObject({
      code: 'commands-unreadable',
      message: expect.stringMatching(reason),
    })
  })

  test('is drafted from help texts, without options that run other programs', () => {
    const help = `Usage: hives [options] <command>\nKeeps the books of a co-op, and more.\n\nOptions:\n  -n, --most <number>   how many at most\n      --[no-]color      in colour\n  -o FILE               where to\n      --exec=<cmd>      runs it\n  -h, --help            display help\n\nCommands:\n  weigh, w [hive]       not read\n  weigh                 weigh a hive\n  help                  display help\n`
    expect(argumentsIn(help)).toStrictEqual({
      most: { flag: '--most', about: 'how many at most.' },
      color: { flag: '--color', type: 'boolean', about: 'in colour.' },
      o: { flag: '-o', about: 'where to.' },
    })
    expect(subcommandsIn(help)).toStrictEqual([{ name: 'weigh', about: 'weigh a hive.' }])
    expect(aboutIn(help)).toBe('Keeps the books of a co-op, and more.')
    const ugly = [`${'  -a, --'.padEnd(499, 'a-')}\n`.repeat(400), ' '.repeat(200_000)]
    expect(leastCpuMs(2000, () => ugly.map(argumentsIn))).toBeLessThan(2000)
  })
})

test('a manual page is read as a help text', () => {
  const bold = (text: string) => [...text].map((letter) => `${letter}\u0008${letter}`).join('')
  const page = `WEIGH(1)    Apiary    WEIGH(1)\n\n${bold('NAME')}\n       weigh - shows what a hive weighs now\n\n${bold('OPTIONS')}\n       ${bold('-a')}, ${bold('--all')}\n              All hives of the site,\n              one after the other.\n\n       --unit=UNIT\n              Unit of the weight.\n     -4      Forces four digits.\n       --gone\n`
  const help = helpInManual(page)
  expect(aboutIn(help)).toBe('Shows what a hive weighs now.')
  expect(argumentsIn(help)).toStrictEqual({
    all: { flag: '--all', type: 'boolean', about: 'All hives of the site, one after the other.' },
    unit: { flag: '--unit', about: 'Unit of the weight.' },
  })
})
