import { json } from '@codemirror/lang-json'
import { HighlightStyle, syntaxHighlighting } from '@codemirror/language'
import { tags } from '@lezer/highlight'
import CodeMirror, { EditorView } from '@uiw/react-codemirror'
import { useEffect, useRef, useState } from 'react'

interface Props {
  value: unknown
  onValue: (value: unknown) => void
  /** Called with the reason why the text is not valid JSON; with undefined when it is valid. */
  onProblem: (problem: string | undefined) => void
}

/** The arguments as JSON text, checked while the user types. */
export default function RawJson({ value, onValue, onProblem }: Props) {
  const [text, setText] = useState(() => textOf(value))
  // Changes from outside replace the text; the user's own text stays as typed.
  const own = useRef(value)
  useEffect(() => {
    if (value === own.current) return
    own.current = value
    setText(textOf(value))
    onProblem(undefined)
  }, [value, onProblem])
  const change = (typed: string) => {
    setText(typed)
    try {
      own.current = JSON.parse(typed)
      onValue(own.current)
      onProblem(undefined)
    } catch (error) {
      onProblem((error as Error).message)
    }
  }
  return (
    <CodeMirror
      value={text}
      minHeight="200px"
      maxHeight="420px"
      theme="none"
      extensions={extensions}
      onChange={change}
    />
  )
}

// The same colours as JSON elsewhere on the page, in both colour schemes.
const colours = HighlightStyle.define([
  { tag: tags.propertyName, color: 'var(--host-ink)' },
  { tag: tags.string, color: 'var(--server-ink)' },
  { tag: [tags.number, tags.bool, tags.null], color: 'var(--honey-ink)' },
])
const looks = EditorView.theme({
  '&': {
    color: 'var(--ink)',
    backgroundColor: 'var(--paper)',
    border: '1px solid var(--rule-strong)',
    fontSize: '13px',
  },
  '.cm-gutters': { color: 'var(--ink-soft)', backgroundColor: 'var(--card)', border: 'none' },
  '.cm-cursor': { borderLeftColor: 'var(--ink)' },
  '.cm-activeLine, .cm-activeLineGutter': { backgroundColor: 'transparent' },
  '&.cm-focused .cm-selectionBackground, .cm-selectionBackground': {
    backgroundColor: 'var(--honey-soft) !important',
  },
})
const extensions = [
  json(),
  syntaxHighlighting(colours),
  looks,
  EditorView.contentAttributes.of({ 'aria-label': 'Arguments as JSON' }),
]
const textOf = (value: unknown) => JSON.stringify(value ?? {}, null, 2)
