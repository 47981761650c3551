import type { Browser } from 'playwright-core'

declare global {
  // Set by the environment of the tests.
  var browserRunner: { browser(): Promise<Browser>; closePages(): Promise<void> }
}

/** The browser of this worker. Its pages are closed at the end of the test file. */
export const sharedBrowser = (): Promise<Browser> => browserRunner.browser()
afterAll(() => browserRunner.closePages())
