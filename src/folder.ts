/** Wraps folders: files become resources with full-text search. */
export { JexoError } from './errors.js'
export { type FolderLimits, folderLimits } from './wrap/folder/limits.js'
export type { FolderPlan, FolderPlanOptions } from './wrap/folder/plan.js'
export type { FolderRules } from './wrap/folder/rules.js'
export { planFolder, type WrapFolderOptions, wrapFolder } from './wrap/folder/wrap-folder.js'
export { type HttpEmbeddingsOptions, httpEmbeddings } from './wrap/search/http-embeddings.js'
export type { Embed } from './wrap/search/vectors.js'
