/** The measured kit as a file, for `serve` and `relay`. */
import { kitOf } from './kit.mjs'

export default kitOf()
