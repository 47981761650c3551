import { JexoError, listOf } from '../../errors.js'

export const sqlErrors = {
  sqlAddress: (given: string) =>
    new JexoError(
      'sql-address',
      `${JSON.stringify(given)} is not a supported kind of database`,
      'use a SQLite file, or a URL such as postgres://db.example/ledger, mysql://… or mariadb://…',
    ),
  columnMissing: (column: string, closest: readonly string[]) =>
    new JexoError(
      'column-missing',
      `there is no column ${JSON.stringify(column)} to search`,
      closest.length > 0 ? `did you mean ${listOf(closest)}?` : 'name it as table.column',
      undefined,
      { forCallers: true },
    ),
  sqlUnreachable: (where: string, reason: string) =>
    new JexoError(
      'sql-unreachable',
      `the database cannot be reached (${reason})`,
      'check that it runs, and check its address, user and password',
      where,
      { forCallers: 'The database cannot be reached now; try again later.' },
    ),
}
