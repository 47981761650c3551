import type { Step } from 'jexo/host'
import { useEffect, useState } from 'react'
import type { RoomEvent, RoomView } from '../backend/room.ts'

/** Read from the printed address, kept for this tab, and removed from the address bar and the history. */
const key = takeKey()

function takeKey(): string {
  const given = new URLSearchParams(location.search).get('key')
  if (given === null) return sessionStorage.getItem('room-key') ?? ''
  sessionStorage.setItem('room-key', given)
  history.replaceState(null, '', location.pathname)
  return given
}

/** Sends a request to the backend; rejects with its error message. */
export async function ask<T = unknown>(path: string, body?: object, signal?: AbortSignal): Promise<T> {
  const response = await fetch(`/api/${path}`, {
    method: body ? 'POST' : 'GET',
    headers: { 'content-type': 'application/json', 'x-room-key': key },
    ...(body ? { body: JSON.stringify(body) } : {}),
    ...(signal ? { signal } : {}),
  }).catch(() => {
    throw new Error('The room does not respond. Is it still running?')
  })
  const answer = await response.json().catch(() => ({}))
  if (!response.ok) {
    const { error, code } = answer as { error?: string; code?: number }
    throw Object.assign(new Error(error ?? `HTTP ${response.status}`), { code })
  }
  return answer as T
}

/** All events of the room, live. */
export function useRoom(): { view: RoomView | undefined; steps: readonly Step[]; isConnected: boolean } {
  const [view, setView] = useState<RoomView>()
  const [steps, setSteps] = useState<ReadonlyMap<number, Step>>(new Map())
  const [isConnected, setConnected] = useState(true)
  useEffect(() => {
    const source = new EventSource(`/api/events?key=${encodeURIComponent(key)}`)
    source.onopen = () => {
      setConnected(true)
      setSteps(new Map())
    }
    // The browser reconnects automatically and then receives the whole state.
    source.onerror = () => setConnected(false)
    source.onmessage = ({ data }) => {
      const event = JSON.parse(data) as RoomEvent
      if ('view' in event) setView(event.view)
      else if ('cleared' in event) setSteps(new Map())
      else setSteps((before) => new Map(before).set(event.step.id, event.step))
    }
    return () => source.close()
  }, [])
  return { view, steps: [...steps.values()].sort((one, other) => one.id - other.id), isConnected }
}
