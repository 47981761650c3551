import { useEffect, useState } from 'react'
import type { ViewContext } from '../wire/messages.js'
import { openView } from './open-view.js'
import type { OpenViewOptions, ViewHost, ViewResult } from './view-host.js'

/** The state of a view for a component. Fields are undefined until the host has sent them. */
export interface ViewState<In, Out> {
  host: ViewHost<In, Out> | undefined
  input: In | undefined
  partialInput: Partial<In> | undefined
  result: ViewResult<Out> | undefined
  /** Why the call was cancelled. */
  cancelled: string | undefined
  context: ViewContext
  /** Set if the host did not open the view. */
  error: Error | undefined
}

let opened: Promise<ViewHost<unknown, unknown>> | undefined

/**
 * React hook that returns the view of this page and re-renders the component on changes. All components of a page share one connection; the options of the
 * first are used.
 *
 * @example
 * const { host, result } = useView<{ hive: string }, { kg: number }>()
 * return <button onClick={() => host?.call('weigh_hive', host.input)}>{result?.structuredContent?.kg}</button>
 */
export function useView<In = Record<string, unknown>, Out = Record<string, unknown>>(
  options: OpenViewOptions<In, Out> = {},
): ViewState<In, Out> {
  const [host, setHost] = useState<ViewHost<In, Out>>()
  const [error, setError] = useState<Error>()
  const [, setCount] = useState(0)
  // biome-ignore lint/correctness/useExhaustiveDependencies: a page is opened once
  useEffect(() => {
    let stop = () => {}
    let isGone = false
    opened ??= openView(options as OpenViewOptions<unknown, unknown>)
    opened.then((open) => {
      if (isGone) return
      setHost(open as unknown as ViewHost<In, Out>)
      stop = open.onChange(() => setCount((count) => count + 1))
    }, setError)
    return () => {
      isGone = true
      stop()
    }
  }, [])
  return {
    host,
    input: host?.input,
    partialInput: host?.partialInput,
    result: host?.result,
    cancelled: host?.cancelled,
    context: host?.context ?? {},
    error,
  }
}
