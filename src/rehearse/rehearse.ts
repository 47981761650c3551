import type { ChatModelOptions } from '../models/chat-endpoint.js'
import { KeywordPicker, type Ranked, stems } from '../models/keyword-picker.js'
import type { JsonObject } from '../protocol/messages.js'
import type { ToolDefinition } from '../protocol/types.js'
import { subsetDifferences } from '../replay/compare.js'
import { pickByModel } from './chat-model.js'
import type { Question } from './questions.js'

export interface Rehearsed {
  ask: string
  expected: string
  picked: string
  isRight: boolean
  /** The best candidates of the stand-in model. */
  ranking: Ranked[]
  margin: number
  arguments: JsonObject
  /** Differences from the expected arguments. */
  misread: string[]
}
/** A tool that is picked instead of the expected one. */
export interface Confusion {
  expected: string
  picked: string
  questions: string[]
  /** Words of these questions that are missing from the description of the expected tool. */
  add: string[]
  /** Words that matched only the other tool. */
  stolenBy: string[]
}
export interface RehearsalReport {
  by: string
  questions: Rehearsed[]
  right: number
  confusions: Confusion[]
  /** How often each tool (or `none`) was picked for each expected tool. */
  matrix: { names: string[]; counts: number[][] }
}

export interface RehearseOptions extends ChatModelOptions {
  /** A chat endpoint to use instead of the stand-in model. */
  url?: string | undefined
  onQuestion?: (done: number, all: number) => void
}

/** Checks which tool is picked for each question. Rejects with a `JexoError` if a model is asked and does not respond. */
export async function rehearse(
  tools: readonly ToolDefinition[],
  questions: readonly Question[],
  { url, onQuestion = () => {}, ...model }: RehearseOptions = {},
): Promise<RehearsalReport> {
  const picker = new KeywordPicker(tools)
  const rehearsed: Rehearsed[] = []
  for (const [at, { ask, tool: expected, with: wanted }] of questions.entries()) {
    onQuestion(at, questions.length)
    const choice = url === undefined ? picker.pick(ask) : await pickByModel(url, tools, ask, model)
    const isRight = choice.tool === expected
    rehearsed.push({
      ask,
      expected,
      picked: choice.tool,
      isRight,
      ranking: choice.ranking.filter(({ score }) => score > 0).slice(0, 4),
      margin: choice.margin,
      arguments: choice.arguments,
      misread: isRight && wanted ? subsetDifferences(wanted, choice.arguments, 'arguments') : [],
    })
  }
  return {
    by: url === undefined ? 'the stand-in' : (model.model ?? url),
    questions: rehearsed,
    right: rehearsed.filter(({ isRight }) => isRight).length,
    confusions: confusionsIn(rehearsed, picker),
    matrix: matrixOf(rehearsed),
  }
}

function confusionsIn(rehearsed: readonly Rehearsed[], picker: KeywordPicker): Confusion[] {
  const groups = new Map<string, Rehearsed[]>()
  for (const one of rehearsed.filter(({ isRight }) => !isRight)) {
    const key = JSON.stringify([one.expected, one.picked])
    groups.set(key, [...(groups.get(key) ?? []), one])
  }
  return [...groups.values()]
    .map((group) => {
      const { expected = '', picked = '' } = group[0] ?? {}
      const [own, others] = [picker.wordsOf(expected), picker.wordsOf(picked)]
      const asked = [...new Set(group.flatMap(({ ask }) => stemmedWords(ask)))]
      const missing = asked.filter(({ stem }) => !own.has(stem))
      return {
        expected,
        picked,
        questions: group.map(({ ask }) => ask),
        add: expected === 'none' ? [] : unique(missing.map(({ word }) => word)).slice(0, 6),
        stolenBy: unique(missing.filter(({ stem }) => others.has(stem)).map(({ word }) => word)).slice(0, 6),
      }
    })
    .sort((one, other) => other.questions.length - one.questions.length)
}

/** Words of a question, as written and normalized. */
const stemmedWords = (text: string) =>
  text.split(/[^\p{L}\p{N}-]+/u).flatMap((word) => {
    const [stem] = stems(word)
    return stem === undefined ? [] : [{ word: word.toLowerCase(), stem }]
  })

const unique = (words: readonly string[]) => [...new Set(words)]

function matrixOf(rehearsed: readonly Rehearsed[]): RehearsalReport['matrix'] {
  const names = unique(rehearsed.flatMap(({ expected, picked }) => [expected, picked])).sort(
    (one, other) => Number(one === 'none') - Number(other === 'none') || one.localeCompare(other),
  )
  const counts = names.map((expected) =>
    names.map((picked) => rehearsed.filter((one) => one.expected === expected && one.picked === picked).length),
  )
  return { names, counts }
}

/** Note on the accuracy of the stand-in model, printed with its figures. */
export const standInWarning =
  'The stand-in compares words only, offline. It shows which descriptions lack the words that people use, and which tools share them. It cannot predict how a real model interprets meaning or context: test one with --model.'
