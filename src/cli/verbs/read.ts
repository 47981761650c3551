import { Command } from 'commander'
import { closestTo } from '../../kit/closest.js'
import type { Link } from '../../link/link.js'
import { codes, RpcError } from '../../protocol/rpc-error.js'
import { talkErrors } from '../../talk/errors.js'
import { type TargetFlags, withLink, withTarget } from '../options/target-options.js'
import { colours, out, outJson, say } from '../terminal/output.js'
import { saveBlocks, savedText } from '../terminal/save-blocks.js'
import { contentsText } from '../text/result-text.js'
import { verbTexts } from '../text/verb-texts.js'

export const read = () =>
  withTarget(
    new Command('read')
      .description(verbTexts.read.about)
      .argument('<target>', 'kit file, URL, exec:<command line>, or <config file>#<entry>')
      .argument('<uri>', 'URI of the resource')
      .option('--output <place>', 'save the bytes to this file or folder')
      .option('--json', 'print the result as JSON')
      .addHelpText('after', '\nExample: jexo read apiary.kit.ts apiary://hives/ML-04'),
  ).action(async (target: string, uri: string, flags: TargetFlags & { json?: boolean; output?: string }) => {
    const result = await withLink(target, flags, (link) => readOrSuggest(link, uri))
    if (flags.output !== undefined)
      for (const saved of await saveBlocks(result.contents, flags.output)) say(savedText(saved))
    if (flags.json) return outJson(result)
    for (const contents of result.contents) {
      if (result.contents.length > 1) say(colours.dim(`${contents.uri}  ${contents.mimeType ?? ''}`))
      out(contentsText(contents))
    }
  })

/** An unknown URI is refused with suggestions. */
async function readOrSuggest(link: Link, uri: string) {
  try {
    return await link.read(uri)
  } catch (error) {
    if (!(error instanceof RpcError) || error.code !== codes.resourceNotFound) throw error
    const known = await Promise.all([link.resources(), link.templates()]).catch(() => [[], []])
    const names = known.flat().map((one) => ('uri' in one ? one.uri : one.uriTemplate))
    // The resource exists but could not be read; the server's error says why.
    if (names.includes(uri)) throw error
    throw talkErrors.resourceUnknown(uri, closestTo(uri, names), link.label)
  }
}
