import { type WrapKit, wrapKitEntry } from '../kit-writer/wrap-kit.js'
import { changesSince } from '../kit-writer/written-kit.js'
import type { Preview } from './preview.js'

/** How a kit file with a single call of a wrap is written and compared. */
export const writing = (kit: WrapKit): Pick<Preview, 'isEmpty' | 'entry' | 'changesSince'> => ({
  isEmpty: Object.keys(kit.tools).length === 0,
  entry: (variable) => wrapKitEntry(kit, variable),
  changesSince: (outFile) => changesSince(outFile, kit, kit.tools),
})
