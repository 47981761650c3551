import { type WrapKit, writeWrapKit } from '../kit-writer/wrap-kit.js'
import { changesSince } from '../kit-writer/written-kit.js'
import type { Preview } from './preview.js'

/** How the kit file of a single call of a wrap is written and compared. */
export const writing = (kit: WrapKit): Pick<Preview, 'isEmpty' | 'write' | 'changesSince'> => ({
  isEmpty: Object.keys(kit.tools).length === 0,
  write: (outFile, isForced) => writeWrapKit(outFile, kit, isForced),
  changesSince: (outFile) => changesSince(outFile, kit.tools),
})
