/**
 * The people of the example and their permissions. There are no passwords: the sign-in page lets the user choose a
 * person.
 */
export const people = {
  wilma: { name: 'Wilma', role: 'warden', scopes: ['hives.read', 'hives.write'] },
  odo: { name: 'Odo', role: 'keeper', scopes: ['hives.read', 'hives.write'] },
  fay: { name: 'Fay', role: 'visitor', scopes: ['hives.read'] },
}

/** A program that signs in without a user. */
export const reporter = { id: 'night-report', secret: 'only-for-this-example', scopes: ['hives.read'] }
