import type { Requirement } from './requirement.js'
import { accessRows } from './rows/access.js'
import { askingRows } from './rows/asking.js'
import { featureRows } from './rows/features.js'
import { httpRows } from './rows/http.js'
import { lifecycleRows } from './rows/lifecycle.js'
import { messageRows } from './rows/messages.js'
import { stdioRows } from './rows/stdio.js'
import { taskRows } from './rows/tasks.js'
import { utilityRows } from './rows/utilities.js'

/** All requirements of the standard, one check for each. */
export const requirements: readonly Requirement[] = [
  ...messageRows,
  ...lifecycleRows,
  ...utilityRows,
  ...featureRows,
  ...askingRows,
  ...taskRows,
  ...stdioRows,
  ...httpRows,
  ...accessRows,
]
