import type { ContentBlock, ResourceContents, ToolResult } from '../../protocol/types.js'
import { colours } from '../terminal/output.js'

/** A tool's result as text: structured content as JSON, else each block. */
export function resultText(result: ToolResult): string {
  if (!result.structuredContent) return result.content.map(blockText).join('\n')
  // The first block repeats the structured content; later blocks contain more.
  return [colouredJson(result.structuredContent), ...result.content.slice(1).map(blockText)].join('\n')
}

export function blockText(block: ContentBlock): string {
  switch (block.type) {
    case 'text':
      return block.text
    case 'image':
    case 'audio':
      return colours.dim(`[${block.type}, ${block.mimeType}, ${bytesOf(block.data)}]`)
    case 'resource_link':
      return `${block.title ?? block.name}  ${colours.cyan(block.uri)}`
    case 'resource':
      return contentsText(block.resource)
    default:
      return JSON.stringify(block)
  }
}

export function contentsText(contents: ResourceContents): string {
  if (contents.text === undefined) {
    return colours.dim(`[${contents.mimeType ?? 'bytes'}, ${bytesOf(contents.blob ?? '')}]`)
  }
  return contents.mimeType === 'application/json' ? prettyJson(contents.text) : contents.text
}

function prettyJson(text: string): string {
  try {
    return colouredJson(JSON.parse(text))
  } catch {
    return text
  }
}

/** JSON with coloured keys, strings and numbers. */
export function colouredJson(value: unknown): string {
  return JSON.stringify(value, null, 2).replace(
    /("(?:[^"\\]|\\.)*")(\s*:)?|\b(true|false|null|-?\d[\d.eE+-]*)\b/g,
    (whole, text: string | undefined, colon: string | undefined) => {
      if (text === undefined) return colours.yellow(whole)
      return colon ? colours.cyan(text) + colon : colours.green(text)
    },
  )
}

function bytesOf(base64: string): string {
  const bytes = Math.floor((base64.length * 3) / 4) - (base64.endsWith('==') ? 2 : base64.endsWith('=') ? 1 : 0)
  return bytes < 2048 ? `${bytes} bytes` : `${(bytes / 1024).toFixed(1)} kB`
}
