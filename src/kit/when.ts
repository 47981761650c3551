/** Goes on with a value, and waits only where it really is a promise: each wait costs a turn. */
export function when<T, U>(value: T | Promise<T>, use: (value: T) => U | Promise<U>): U | Promise<U> {
  return value instanceof Promise ? value.then(use) : use(value)
}
