import { browserSignIn } from '../access/sign-in/browser-sign-in.js'
import { fileStore } from '../access/sign-in/file-store.js'
import type { SignIn } from '../access/sign-in/sign-in.js'
import type { SignInStep } from '../access/sign-in/steps.js'
import type { Journal } from './journal.js'
import type { Questions } from './questions.js'

/** Signs the user of the page in: a card links to the authorization server, and each step is a line of the score. */
export function pageSignIn(id: string, journal: Journal, questions: Questions): SignIn {
  let count = 0
  let asked: string | undefined
  return browserSignIn({
    store: fileStore(),
    clientName: 'Jexo',
    open: (url) => {
      asked = `sign-in ${++count}`
      const detail = `a person has to sign in at ${url.origin}`
      journal.add(id, { kind: 'sign-in', step: waitingStep(detail), question: asked })
      return questions.signIn(asked, url)
    },
    onStep: (step) => {
      if (step.stage === 'authorization' && asked !== undefined) questions.signedIn(asked)
      journal.add(id, { kind: 'sign-in', step })
    },
  })
}

const waitingStep = (detail: string): Omit<SignInStep, 'outcome'> & { outcome: 'waiting' } => ({
  stage: 'authorization',
  outcome: 'waiting',
  detail,
  startedAtMs: Date.now(),
  durationMs: 0,
  exchanges: [],
})
