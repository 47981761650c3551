import type { Rule } from './finding.js'
import { probeRules } from './probe/verdict.js'
import { aboutAlike } from './rules/about-alike.js'
import { aboutCopied } from './rules/about-copied.js'
import { aboutLong } from './rules/about-long.js'
import { aboutMissing } from './rules/about-missing.js'
import { aboutOrders } from './rules/about-orders.js'
import { aboutRepeatsName } from './rules/about-repeats-name.js'
import { aboutShort } from './rules/about-short.js'
import { arrayUnbounded } from './rules/array-unbounded.js'
import { commandParameter } from './rules/command-parameter.js'
import { costOfAll } from './rules/cost-of-all.js'
import { costOfTool } from './rules/cost-of-tool.js'
import { defaultInvalid } from './rules/default-invalid.js'
import { driftBreaking } from './rules/drift-breaking.js'
import { driftHarmless } from './rules/drift-harmless.js'
import { effectContradicts } from './rules/effect-contradicts.js'
import { effectUnsaid } from './rules/effect-unsaid.js'
import { exampleInvalid } from './rules/example-invalid.js'
import { exampleOutputInvalid } from './rules/example-output-invalid.js'
import { nameCollision } from './rules/name-collision.js'
import { nameDashes } from './rules/name-dashes.js'
import { nameDefault } from './rules/name-default.js'
import { nameLong } from './rules/name-long.js'
import { nameStyles } from './rules/name-styles.js'
import { nameVague } from './rules/name-vague.js'
import { parameterCopied } from './rules/parameter-copied.js'
import { parameterUndescribed } from './rules/parameter-undescribed.js'
import { parameterVague } from './rules/parameter-vague.js'
import { pathUnlimited } from './rules/path-unlimited.js'
import { printDiverted } from './rules/print-diverted.js'
import { promptUndescribed } from './rules/prompt-undescribed.js'
import { removeUnconfirmed } from './rules/remove-unconfirmed.js'
import { resourceUndescribed } from './rules/resource-undescribed.js'
import { resourceUntyped } from './rules/resource-untyped.js'
import { resultLarge } from './rules/result-large.js'
import { schemaBroken } from './rules/schema-broken.js'
import { schemaChoices } from './rules/schema-choices.js'
import { schemaDeep } from './rules/schema-deep.js'
import { schemaFormat } from './rules/schema-format.js'
import { schemaLookAround } from './rules/schema-look-around.js'
import { schemaNothingRequired } from './rules/schema-nothing-required.js'
import { schemaRecursive } from './rules/schema-recursive.js'
import { schemaRequiredUnknown } from './rules/schema-required-unknown.js'
import { schemaRootUnion } from './rules/schema-root-union.js'
import { schemaTuple } from './rules/schema-tuple.js'
import { schemaTypeList } from './rules/schema-type-list.js'
import { secretParameter } from './rules/secret-parameter.js'
import { serverNameless } from './rules/server-nameless.js'
import { strayOutput } from './rules/stray-output.js'
import { textInvisible } from './rules/text-invisible.js'
import { textSecret } from './rules/text-secret.js'
import { toolsMany } from './rules/tools-many.js'
import { urlUnlimited } from './rules/url-unlimited.js'
import { viewData } from './rules/view-data.js'
import { viewLarge } from './rules/view-large.js'
import { viewMessage } from './rules/view-message.js'
import { viewMissing } from './rules/view-missing.js'
import { viewNoText } from './rules/view-no-text.js'
import { viewRemote } from './rules/view-remote.js'
import { viewTold } from './rules/view-told.js'
import { viewType } from './rules/view-type.js'

/** All rules. A rule is a file, and its id is the file's name. */
export const rules: readonly Rule[] = [
  aboutAlike,
  aboutCopied,
  aboutLong,
  aboutMissing,
  aboutOrders,
  aboutRepeatsName,
  aboutShort,
  arrayUnbounded,
  commandParameter,
  costOfAll,
  costOfTool,
  defaultInvalid,
  driftBreaking,
  driftHarmless,
  effectContradicts,
  effectUnsaid,
  exampleInvalid,
  exampleOutputInvalid,
  nameCollision,
  nameDashes,
  nameDefault,
  nameLong,
  nameStyles,
  nameVague,
  parameterCopied,
  parameterUndescribed,
  parameterVague,
  pathUnlimited,
  printDiverted,
  promptUndescribed,
  removeUnconfirmed,
  resourceUndescribed,
  resourceUntyped,
  resultLarge,
  schemaBroken,
  schemaChoices,
  schemaDeep,
  schemaFormat,
  schemaLookAround,
  schemaNothingRequired,
  schemaRecursive,
  schemaRequiredUnknown,
  schemaRootUnion,
  schemaTuple,
  schemaTypeList,
  secretParameter,
  serverNameless,
  strayOutput,
  textInvisible,
  textSecret,
  toolsMany,
  urlUnlimited,
  viewData,
  viewLarge,
  viewMessage,
  viewMissing,
  viewNoText,
  viewRemote,
  viewTold,
  viewType,
]

/** Ids that a project can configure: rules, and findings of probes. */
export const ruleIds: ReadonlySet<string> = new Set([...rules, ...probeRules].map(({ id }) => id))
