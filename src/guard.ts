/** Importing this puts the stdout guard in place, before anything that is imported after it can print. */
import { installStdoutGuard } from './transport/stdout-guard.js'

installStdoutGuard()
