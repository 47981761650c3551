/** The people of the example, and what each may do. Nobody has a password: the sign-in page asks who you are. */
export const people = {
  wilma: { name: 'Wilma', role: 'warden', scopes: ['hives.read', 'hives.write'] },
  odo: { name: 'Odo', role: 'keeper', scopes: ['hives.read', 'hives.write'] },
  fay: { name: 'Fay', role: 'visitor', scopes: ['hives.read'] },
}

/** A program that signs in by itself. */
export const reporter = { id: 'night-report', secret: 'only-for-this-example', scopes: ['hives.read'] }
