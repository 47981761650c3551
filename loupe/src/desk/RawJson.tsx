import { json } from '@codemirror/lang-json'
import { useComputedColorScheme } from '@mantine/core'
import CodeMirror from '@uiw/react-codemirror'
import { useEffect, useRef, useState } from 'react'

interface Props {
  value: unknown
  onValue: (value: unknown) => void
  /** Told why the text is no JSON, or undefined once it is. */
  onProblem: (problem: string | undefined) => void
}

/** The arguments as text, checked as one types. */
export default function RawJson({ value, onValue, onProblem }: Props) {
  const [text, setText] = useState(() => textOf(value))
  // What is filled in from elsewhere is shown; what one types oneself is left as it was typed.
  const own = useRef(value)
  useEffect(() => {
    if (value === own.current) return
    own.current = value
    setText(textOf(value))
    onProblem(undefined)
  }, [value, onProblem])
  const scheme = useComputedColorScheme('light')
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
      height="200px"
      theme={scheme}
      extensions={[json()]}
      onChange={change}
      aria-label="Arguments as JSON"
    />
  )
}

const textOf = (value: unknown) => JSON.stringify(value ?? {}, null, 2)
