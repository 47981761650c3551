/** Installs the stdout guard when it is imported, before later imports can print. */
import { installStdoutGuard } from './transport/stdout-guard.js'

installStdoutGuard()
