import { oneLine } from '../../escape/one-line.js'
import type { PlannedOperation } from './operation.js'

/** Where an operation is, as people say it: `GET /hives/{hive}`, or `query hives` of a graph; with the server, if it is not the API's own. */
export const placeOf = ({
  method,
  path,
  operationId,
  base,
}: Pick<PlannedOperation, 'method' | 'path' | 'operationId' | 'base'>): string =>
  oneLine(
    path === '' && operationId !== undefined ? operationId : `${method} ${base?.replace(/\/+$/, '') ?? ''}${path}`,
  )
