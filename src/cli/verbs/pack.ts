import { Command, Option } from 'commander'
import { shownPath } from '../../kit-file/kit-file.js'
import { checkPackage } from '../../pack/check-package.js'
import type { FormOptions } from '../../pack/form.js'
import { type FormName, formNames, forms } from '../../pack/forms.js'
import { type Packed, packKit } from '../../pack/pack-kit.js'
import { type TriedPack, tryPacked } from '../../pack/try-packed.js'
import { needWritable, writeOut } from '../../pack/write-out.js'
import { colours, columns, errorColours, out, say, whileWaiting, wrapped } from '../terminal/output.js'
import { verbTexts } from '../text/verb-texts.js'

interface Flags extends FormOptions {
  as: FormName
  out: string
  check: boolean
}

export const pack = () =>
  new Command('pack')
    .description(verbTexts.pack.about)
    .argument('<kit>', 'kit file, .ts or .js')
    .addOption(
      new Option(
        '--as <form>',
        `what to create: ${formNames.map((name) => `${name} (${forms[name].about})`).join(', ')}`,
      )
        .choices(formNames)
        .default('file'),
    )
    .option('--out <folder>', 'output folder', 'packed')
    .option('--public-url <url>', 'URL by which others reach the server')
    .option('--package-name <name>', "name of the npm package; default: the kit's name")
    .option('--registry-name <name>', 'name in the registry of servers, such as org.example/apiary')
    .option('--image <name>', "name of the image; default: the kit's name and version")
    .option('--no-check', 'skip starting what was packed')
    .addHelpText(
      'after',
      '\nExample: jexo pack apiary.kit.ts --out packed && node packed/apiary.mjs --help\n         jexo pack apiary.kit.ts --as container --out image',
    )
    .action(async (file: string, flags: Flags) => {
      const form = forms[flags.as]
      await needWritable(flags.out)
      const packed = await whileWaiting(`packing ${shownPath(file)}`, () => packKit(file))
      const files = form.files(packed, flags)
      for (const remark of packed.remarks) say(`${errorColours.yellow('warning')} ${remark}`)
      const isCode = files.some(({ path }) => path === packed.fileName)
      const tried =
        isCode && flags.check ? await whileWaiting('starting what was packed', () => tryPacked(packed)) : undefined
      await writeOut(flags.out, files)
      for (const { path } of files) out(shownPath(`${flags.out}/${path}`))
      describe(packed, flags.as)
      if (tried) fact('tried', `starts in an empty folder: ${countsOf(tried)}`)
      if (flags.as === 'npm' && flags.check) {
        const { tarball, bytes, tools } = await whileWaiting('running the package by npx', () =>
          checkPackage(flags.out, packed.settings),
        )
        fact(
          'tried',
          `${shownPath(tarball)} (${inKb(bytes)}) runs by npx: ${tools === 1 ? '1 tool' : `${tools} tools`}`,
        )
      }
      fact('next', form.next(packed, shownPath(flags.out), flags).join('\n'))
    })

function describe({ code, assets, packages, settings, kit }: Packed, form: FormName): void {
  fact('contains', `${kit.name} ${kit.version}, ${kit.parts.length === 1 ? '1 part' : `${kit.parts.length} parts`}`)
  if (form !== 'registry') fact('size', inKb(Buffer.byteLength(code)))
  if (assets.length > 0) fact('inside', assets.join(', '))
  if (packages.length > 0)
    fact('native', `${packages.join(', ')}: runs on ${process.platform} ${process.arch} only`)
  const needed = settings.filter(({ isNeeded }) => isNeeded).map(({ name }) => name)
  const others = settings.filter(({ isNeeded }) => !isNeeded).map(({ name }) => name)
  fact('required', needed.length > 0 ? needed.join(', ') : 'no settings')
  if (others.length > 0) fact('optional', others.join(', '))
}

/** `3 tools, 1 prompt`. */
function countsOf(tried: TriedPack): string {
  const counts = Object.entries(tried).filter(([, count]) => count > 0)
  const texts = counts.map(([name, count]) => `${count} ${count === 1 ? name.replace(/s$/, '') : name}`)
  return texts.join(', ') || 'it offers nothing'
}

const inKb = (bytes: number) => `${(bytes / 1024).toFixed(0)} kB`

function fact(label: string, text: string): void {
  const lines = text.split('\n').flatMap((line) => wrapped(line, columns() - 14))
  say(`  ${colours.dim(label.padEnd(12))}${lines.join(`\n${' '.repeat(14)}`)}`)
}
