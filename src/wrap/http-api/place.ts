import { oneLine } from '../../escape/one-line.js'
import type { PlannedOperation } from './operation.js'

/** Label of an operation: `GET /hives/{hive}`, or `query hives` in GraphQL; with the server if it differs from the API's. */
export const placeOf = ({
  method,
  path,
  operationId,
  base,
}: Pick<PlannedOperation, 'method' | 'path' | 'operationId' | 'base'>): string =>
  oneLine(
    path === '' && operationId !== undefined ? operationId : `${method} ${base?.replace(/\/+$/, '') ?? ''}${path}`,
  )
