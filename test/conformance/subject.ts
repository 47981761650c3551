import { PassThrough } from 'node:stream'
import type { Kit } from 'jexo'
import { runOnNode } from '../../src/transport/node-run.js'
import { runStdio } from '../../src/transport/stdio.js'
import { LineTalk } from '../../src/vet/wire/child-talk.js'
import type { Subject } from '../../src/vet/wire/requirement.js'
import { requirements } from '../../src/vet/wire/table.js'
import type { WireServer } from '../../src/vet/wire/talk.js'

/** The names in the kit with everything that the rows need. */
const none = {}
export const subject: Required<Omit<Subject, 'taskFree' | 'access' | 'accessToken' | 'accessMetadata'>> = {
  tool: { name: 'add', arguments: { a: 1 }, wrong: { a: 'one' }, field: 'a' },
  structuredTool: { name: 'add', arguments: { a: 1, b: 2 } },
  failingTool: { name: 'say', arguments: { kind: 'crash' } },
  lyingTool: { name: 'broken_output', arguments: none },
  progressTool: { name: 'steps', arguments: none },
  loggingTool: { name: 'steps', arguments: none },
  waitingTool: { name: 'wait', arguments: none },
  slowTool: { name: 'slow_steps', arguments: none },
  audioTool: { name: 'say', arguments: { kind: 'audio' } },
  linkTool: { name: 'say', arguments: { kind: 'link' } },
  formTool: { name: 'ask_form', arguments: none, content: { kg: 41 } },
  urlTool: { name: 'ask_by_url', arguments: none },
  visitTool: { name: 'needs_visit', arguments: none },
  samplingTool: { name: 'ask_model', arguments: none },
  samplingWithToolsTool: { name: 'ask_model_with_tools', arguments: none },
  rootsTool: { name: 'list_roots', arguments: none },
  touchingTool: { name: 'count', arguments: none, uri: 'sample://counter' },
  growingTool: { name: 'grow', arguments: none },
  taskTool: { name: 'long_count', arguments: none },
  taskOnlyTool: { name: 'task_only', arguments: none },
  taskFreeTool: { name: 'add', arguments: { a: 1 } },
  resource: { uri: 'sample://counter' },
  binaryResource: { uri: 'sample://bytes' },
  template: { uriTemplate: 'sample://words/{word}', uri: 'sample://words/bee', variable: 'word' },
  prompt: { name: 'greet', arguments: { name: 'Ada' }, required: 'name' },
  completion: { prompt: 'greet', argument: 'name', typed: 'A' },
}

/** The stdio transport on streams of this process: starting a process for each of some six hundred sessions would take a minute. */
export class StreamTalk extends LineTalk {
  readonly #ended: Promise<void>

  constructor(kit: Kit) {
    const [input, output] = [new PassThrough(), new PassThrough()]
    super(input, output)
    this.#ended = runStdio(runOnNode(kit), {}, { input, output, write: (text) => output.write(text) })
    void this.#ended.then(() => this.ended('its input was closed'))
  }

  override async close(): Promise<void> {
    await super.close()
    await this.#ended
  }
}

export const rowsFor = (transport: WireServer['transport'], short: string) =>
  requirements.filter(
    // Rows about tokens run on servers that require one, and rows for servers without tasks on one without.
    ({ id, needs = [], transports, from = 'R1', to = 'R4' }) =>
      !id.startsWith('access/') &&
      !needs.includes('taskFree') &&
      (transports?.includes(transport) ?? true) &&
      short >= from &&
      short <= to,
  )
