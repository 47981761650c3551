/**
 * Lints servers for models and hosts: the functions of `jexo vet`.
 * @module
 */
export { readTarget, type Target, type TargetOptions } from './target/target.js'
export { type Contract, diffContracts, toContract } from './vet/contract.js'
export type { Finding, Group, Rule, Severity } from './vet/finding.js'
export { rules } from './vet/rules.js'
export { toSarif } from './vet/sarif.js'
export type { Snapshot } from './vet/snapshot.js'
export type { VetReport } from './vet/vet.js'
export { type TargetReport, type VetOptions, vetTarget } from './vet/vet-target.js'
