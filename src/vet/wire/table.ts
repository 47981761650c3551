import type { Requirement } from './requirement.js'
import { accessRows } from './rows/access.js'
import { askingRows } from './rows/asking.js'
import { httpRows } from './rows/http.js'
import { httpStreamRows } from './rows/http-streams.js'
import { lifecycleRows } from './rows/lifecycle.js'
import { messageRows } from './rows/messages.js'
import { resourceRows } from './rows/resources.js'
import { stdioRows } from './rows/stdio.js'
import { taskRows } from './rows/tasks.js'
import { toolRows } from './rows/tools.js'
import { utilityRows } from './rows/utilities.js'

/** All requirements of the standard, one check for each. */
export const requirements: readonly Requirement[] = [
  ...messageRows,
  ...lifecycleRows,
  ...utilityRows,
  ...toolRows,
  ...resourceRows,
  ...askingRows,
  ...taskRows,
  ...stdioRows,
  ...httpRows,
  ...httpStreamRows,
  ...accessRows,
]
