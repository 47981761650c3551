/** `npm run build`: builds what is out of date. */
import { prepare } from './prepare.mjs'

prepare()
