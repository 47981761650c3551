/** Wraps databases: statements become tools, rows become resources. */
export { JexoError } from './errors.js'
export { type HttpEmbeddingsOptions, httpEmbeddings } from './wrap/search/http-embeddings.js'
export type { Embed } from './wrap/search/vectors.js'
export {
  type DatabaseOptions,
  openDatabase,
  type SharedDatabase,
  SqlDatabase,
  type SqlRow,
  type SqlValues,
  type StatementCall,
  sqlDatabase,
} from './wrap/sql/database.js'
export type { SqlValue } from './wrap/sql/driver.js'
export { type SqlLimits, sqlLimits } from './wrap/sql/limits.js'
export type { PlannedQuery, PlannedTable, SkippedQuery, SqlPlan, SqlPlanOptions } from './wrap/sql/plan.js'
export type { SqlSearchOptions } from './wrap/sql/search.js'
export { planSql, type WrapSqlOptions, wrapSql } from './wrap/sql/wrap-sql.js'
