/** The descriptions of the verbs for `jexo --help`, available without loading the verbs. */
export const verbTexts = {
  new: { usage: '<dir>', about: 'Create a kit project that runs and passes its test' },
  wrap: {
    usage: '<source...>',
    about: 'Preview the tools that sources would become; write a kit file with --out',
  },
  add: { usage: '<source>', about: 'Add a source to an existing kit file' },
  serve: { usage: '<kit>', about: 'Serve a kit over stdio or HTTP' },
  show: { usage: '<target>', about: 'List what a server offers, or print a tape' },
  call: { usage: '<target> <tool> [name=value...]', about: 'Call a tool' },
  tasks: { usage: '<target> [action] [id]', about: 'List, show, wait for or cancel calls that run as tasks' },
  read: { usage: '<target> <uri>', about: 'Read a resource' },
  fill: { usage: '<target> <prompt> [name=value...]', about: 'Fill a prompt and print its messages' },
  talk: {
    usage: '<target>',
    about: 'Open an interactive session: list, call, read and fill, with completion and history',
  },
  relay: {
    usage: '<target>',
    about: 'Pass bytes between a host and a server unchanged, and record the messages',
  },
  loupe: { usage: '[target...]', about: 'Open the inspector page for servers and tapes' },
  attach: {
    usage: '<target>',
    about: "Add a server to a host's configuration, and try it as the host would",
  },
  vet: { usage: '[target]', about: "Lint a server's names, schemas and behaviour" },
  replay: { usage: '<cases...>', about: 'Run recorded cases as tests' },
  rehearse: {
    usage: '<target> <questions>',
    about: 'Check which tool a model would pick for each question of a file',
  },
  pack: {
    usage: '<kit>',
    about: 'Pack a kit and everything it imports into one file that needs only Node, or into a deployable form',
  },
  ship: { usage: '[artefact]', about: 'Deploy a packed file and check that it responds' },
  'sign-in': { usage: '[url]', about: 'Sign in to a server with the browser, for all commands' },
  'sign-out': { usage: '<url>', about: 'Forget the sign-in to a server' },
  token: { usage: '<action> [name]', about: 'Add, list or remove the tokens of callers' },
  demo: { usage: '', about: 'Run the demo: the apiary of the Marsh Lane beekeepers' },
  completion: { usage: '<shell>', about: 'Print a shell completion script' },
} as const

export type VerbName = keyof typeof verbTexts
