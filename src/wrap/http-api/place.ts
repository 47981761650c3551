import { oneLine } from '../../escape/one-line.js'
import type { PlannedOperation } from './operation.js'

/** Where an operation is, as people say it: `GET /hives/{hive}`, or `query hives` of a graph. */
export const placeOf = ({
  method,
  path,
  operationId,
}: Pick<PlannedOperation, 'method' | 'path' | 'operationId'>): string =>
  oneLine(path === '' && operationId !== undefined ? operationId : `${method} ${path}`)
