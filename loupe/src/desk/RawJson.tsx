import { json } from '@codemirror/lang-json'
import { useComputedColorScheme } from '@mantine/core'
import CodeMirror from '@uiw/react-codemirror'
import { useState } from 'react'

interface Props {
  value: unknown
  onValue: (value: unknown) => void
  /** Told why the text is no JSON, or undefined once it is. */
  onProblem: (problem: string | undefined) => void
}

/** The arguments as text, checked as one types. */
export default function RawJson({ value, onValue, onProblem }: Props) {
  const [text, setText] = useState(() => JSON.stringify(value ?? {}, null, 2))
  const scheme = useComputedColorScheme('light')
  const change = (typed: string) => {
    setText(typed)
    try {
      onValue(JSON.parse(typed))
      onProblem(undefined)
    } catch (error) {
      onProblem((error as Error).message)
    }
  }
  return (
    <CodeMirror
      value={text}
      height="200px"
      theme={scheme}
      extensions={[json()]}
      onChange={change}
      aria-label="Arguments as JSON"
    />
  )
}
