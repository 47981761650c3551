import { Argument, Command } from 'commander'
import { completeLine } from '../../talk/complete.js'
import { withLink } from '../options/target-options.js'
import { out } from '../terminal/output.js'
import { verbTexts } from '../text/verb-texts.js'

const shells = ['bash', 'zsh', 'fish'] as const
type Shell = (typeof shells)[number]

/** A verb as a shell completes it. */
interface Verb {
  name: string
  about: string
  options: { flag: string; about: string; choices: readonly string[]; takesValue: boolean }[]
}

export const completion = () =>
  new Command('completion')
    .description(verbTexts.completion.about)
    .addArgument(new Argument('<shell>', 'shell').choices(shells))
    .addHelpText(
      'after',
      `
Example: jexo completion bash >> ~/.bashrc
         jexo completion zsh >> ~/.zshrc
         jexo completion fish > ~/.config/fish/completions/jexo.fish`,
    )
    .usage('[options] <shell>')
    .addCommand(names(), { hidden: true })
    .action((shell: Shell, _: unknown, command: Command) => {
      const verbs = (command.parent?.commands ?? []).map(verbOf)
      out(shell === 'fish' ? fishScript(verbs) : shell === 'zsh' ? zshScript(verbs) : bashScript(verbs))
    })

/** The names of a target's parts for a verb, for shell completion; empty if the target does not respond. */
const names = () =>
  new Command('names')
    .argument('<verb>')
    .argument('<target>')
    .argument('[words...]')
    .action(async (verb: string, target: string, words: string[]) => {
      if (!withTargetNames.has(verb)) return
      // Users do not wait longer after pressing a key.
      const timeout = process.env.JEXO_LOAD_TIMEOUT_MS ?? '4000'
      process.env.JEXO_LOAD_TIMEOUT_MS = timeout
      const line = [verb, ...(words.length > 0 ? words : [''])].join(' ')
      const [found] = await withLink(target, { timeout }, (link) => completeLine(link, line)).catch(() => [[]])
      if (found.length > 0) out(found.join('\n'))
    })

const withTargetNames = new Set(['call', 'read', 'fill'])

const verbOf = (command: Command): Verb => ({
  name: command.name(),
  about: command.description(),
  options: command.options.map(({ long, short, description, argChoices, required, optional }) => ({
    flag: long ?? short ?? '',
    about: brief(description),
    choices: argChoices ?? [],
    takesValue: required || optional,
  })),
})

const brief = (text: string) => (text.length > 72 ? `${text.slice(0, 71).trimEnd()}…` : text)

/** Verbs first, then the options of the verb, the choices of an option, and files for all else. */
function bashScript(verbs: readonly Verb[]): string {
  const flags = verbs.map(
    ({ name, options }) => `    ${name}) words="${options.map(({ flag }) => flag).join(' ')} --help" ;;`,
  )
  const choices = verbs.flatMap(({ name, options }) =>
    options
      .filter((option) => option.choices.length > 0)
      .map((option) => `    "${name} ${option.flag}") words="${option.choices.join(' ')}" ;;`),
  )
  return `# bash completion for jexo
_jexo() {
  local word="\${COMP_WORDS[COMP_CWORD]}" before="\${COMP_WORDS[COMP_CWORD-1]}" verb="\${COMP_WORDS[1]}" words=""
  if [ "$COMP_CWORD" -eq 1 ]; then
    COMPREPLY=($(compgen -W "${verbs.map(({ name }) => name).join(' ')} --help --version" -- "$word"))
    return
  fi
  case "$verb $before" in
${choices.join('\n')}
  esac
  if [ -z "$words" ] && [[ "$word" != -* && ( "$verb" == call || "$verb" == fill ) && "$COMP_CWORD" -ge 3 ]]; then
    words="$(jexo completion names "$verb" "\${COMP_WORDS[2]}" "\${COMP_WORDS[@]:3:COMP_CWORD-2}" 2>/dev/null)"
    [[ "$words" == *= ]] && compopt -o nospace 2>/dev/null
  fi
  if [ -z "$words" ] && [[ "$word" == -* ]]; then
    case "$verb" in
${flags.join('\n')}
    esac
  fi
  if [ -n "$words" ]; then COMPREPLY=($(compgen -W "$words" -- "$word")); else COMPREPLY=($(compgen -f -- "$word")); fi
}
complete -o filenames -F _jexo jexo
`
}

function zshScript(verbs: readonly Verb[]): string {
  const described = (text: string) => text.replace(/[[\]:']/g, ' ')
  const cases = verbs.map(({ name, options }) => {
    const lines = options.map(({ flag, about, choices, takesValue }) => {
      const value = choices.length > 0 ? `:value:(${choices.join(' ')})` : takesValue ? ':value:_files' : ''
      return `'*${flag}[${described(about)}]${value}'`
    })
    return `    ${name}) _arguments ${[...lines, withTargetNames.has(name) ? "'1:target:_files' '*:name:_jexo_names'" : "'*:file:_files'"].join(' ')} ;;`
  })
  return `# zsh completion for jexo
_jexo_names() {
  local -a found=("\${(@f)$(jexo completion names $verb $line[1] $words[3,CURRENT] 2>/dev/null)}")
  compadd -- $found
}
_jexo() {
  if (( CURRENT == 2 )); then
    local -a verbs=(${verbs.map(({ name, about }) => `'${name}:${described(about)}'`).join(' ')})
    _describe 'verb' verbs
    return
  fi
  local verb=$words[2]
  shift words
  (( CURRENT-- ))
  case "$verb" in
${cases.join('\n')}
  esac
}
(( $+functions[compdef] )) || { autoload -Uz compinit && compinit }
compdef _jexo jexo
`
}

function fishScript(verbs: readonly Verb[]): string {
  const quoted = (text: string) => `'${text.replace(/'/g, "\\'")}'`
  const lines = verbs.flatMap(({ name, about, options }) => [
    `complete -c jexo -n __fish_use_subcommand -f -a ${name} -d ${quoted(about)}`,
    ...options.map(({ flag, about: of, choices, takesValue }) => {
      const value = choices.length > 0 ? ` -x -a ${quoted(choices.join(' '))}` : takesValue ? ' -r' : ''
      return `complete -c jexo -n '__fish_seen_subcommand_from ${name}' -l ${flag.replace(/^--/, '')} -d ${quoted(of)}${value}`
    }),
  ])
  const ofTargets = [...withTargetNames].map(
    (name) =>
      `complete -c jexo -n '__fish_seen_subcommand_from ${name}; and test (count (commandline -opc)) -ge 3' -f -a '(jexo completion names (commandline -opc)[2..] (commandline -ct) 2>/dev/null)'`,
  )
  return `# fish completion for jexo\n${[...lines, ...ofTargets].join('\n')}\n`
}
