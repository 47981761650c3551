/** Continues with a value; waits only if it is a promise, since each `await` costs a turn of the event loop. */
export function when<T, U>(value: T | Promise<T>, use: (value: T) => U | Promise<U>): U | Promise<U> {
  return value instanceof Promise ? value.then(use) : use(value)
}
