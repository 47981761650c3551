import { Command } from 'commander'
import { packFile } from '../pack/pack-file.js'
import { shownPath } from '../target/kit-file.js'
import { colours, columns, out, say, wrapped } from './output.js'

export const pack = () =>
  new Command('pack')
    .description('Packs a kit and everything it imports into one file that needs only Node.')
    .argument('<kit>', 'kit file, .ts or .js')
    .option('--out <folder>', 'where to put it', 'packed')
    .addHelpText('after', '\nExample: jexo pack apiary.kit.ts --out packed && node packed/apiary.mjs --help')
    .action(async (file: string, flags: { out: string }) => {
      const packed = await packFile(file, flags.out)
      const settings = Object.entries(packed.kit.settings)
      const needed = settings.filter(([, declared]) => declared.default === undefined && !declared.optional)
      out(shownPath(packed.file))
      say(`  ${colours.dim('size')}        ${(packed.bytes / 1024).toFixed(0)} kB`)
      const inside = wrapped(packed.assets.join(', '), columns() - 14).join(`\n${' '.repeat(14)}`)
      if (packed.assets.length > 0) say(`  ${colours.dim('inside')}      ${inside}`)
      if (packed.packages.length > 0)
        say(
          `  ${colours.dim('native')}      ${packed.packages.join(', ')}: runs on ${process.platform} ${process.arch} only`,
        )
      say(
        `  ${colours.dim('needs')}       ${needed.length > 0 ? needed.map(([name]) => name).join(', ') : 'nothing from the environment'}`,
      )
      say(`  ${colours.dim('run it')}      node ${shownPath(packed.file)}   (--http 4870 for HTTP)`)
    })
