import type { Rule } from '../finding.js'
import { textsOf } from '../texts.js'

const orders = [
  /\b(ignore|disregard|forget) (all |any |the )?(previous|prior|above|other|earlier) (instructions|rules|messages|tools)/i,
  /\bdo not (tell|inform|mention|reveal|show)( this| it| anything)?( to)? (the )?(user|person|human)/i,
  /<\/?(important|system|instructions?|secret)>/i,
  /\byou (must|have to|should) (always|never|first|only) (call|use|run|read|send|include)/i,
  /\b(always|never) (call|use) this( tool)? (first|before|instead)/i,
  /\bbefore (using|calling) (any|all) other tools?\b/i,
  /\bsystem prompt\b/i,
]

export const aboutOrders: Rule = {
  id: 'about-orders',
  group: 'words',
  severity: 'error',
  about: 'Descriptions that instruct the model.',
  check: (snapshot) =>
    textsOf(snapshot)
      .filter(({ text }) => orders.some((order) => order.test(text)))
      .map(({ where, text }) => ({
        location: where,
        problem: `the description instructs the model: ${JSON.stringify(orders.map((order) => order.exec(text)?.[0]).find(Boolean))}`,
        fix: 'describe what the tool does; the host decides how to use it',
      })),
}
