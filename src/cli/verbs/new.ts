import { Command } from 'commander'
import { shownPath } from '../../kit-file/kit-file.js'
import { install, newProject } from '../../new/new-project.js'
import { errorColours, out, say } from '../terminal/output.js'
import { verbTexts } from '../text/verb-texts.js'

export const newCommand = () =>
  new Command('new')
    .description(verbTexts.new.about)
    .argument('<dir>', 'folder to create')
    .option(
      '--from <source>',
      'tarball, folder or version of Jexo for the project; default: what this one was installed from',
    )
    .option('--view', 'add a page that hosts show beside the result of the tool')
    .option('--no-install', 'skip installing packages')
    .addHelpText('after', '\nExample: jexo new hives && cd hives && npm test')
    .action(async (dir: string, flags: { install: boolean; from?: string; view?: boolean }) => {
      const { folder, name, files } = await newProject(dir, { from: flags.from, hasView: flags.view === true })
      const shown = shownPath(folder)
      for (const file of files) out(`${shown}/${file}`)
      if (flags.install) {
        say('installing packages …')
        await install(folder, (text) => text && say(errorColours.dim(`  ${text}`)))
      }
      say(
        `Next: cd ${shown}${flags.install ? '' : ' && npm install'} && npm test, then npx jexo loupe ${name}.kit.ts`,
      )
    })
