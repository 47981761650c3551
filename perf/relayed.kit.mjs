/** The measured kit, as a file that is served and relayed. */
import { kitOf } from './kit.mjs'

export default kitOf()
