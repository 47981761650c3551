import { Button, CopyButton, Group, Textarea } from '@mantine/core'
import { useEffect, useId, useRef, useState } from 'react'
import { answerQuestion, type OpenQuestion } from '../api'
import SchemaForm from '../desk/SchemaForm'
import { Block } from '../result/Content'

interface Props {
  target: string
  question: OpenQuestion
}
type Answer = (answer: object) => void

/** A question of a server to the user, or to a model that the user plays, answered in place. */
export default function QuestionCard({ target, question }: Props) {
  const [problem, setProblem] = useState<string>()
  const [isSent, setSent] = useState(false)
  const card = useRef<HTMLElement>(null)
  // Focuses the first field, since the user has to answer.
  useEffect(() => {
    card.current?.querySelector<HTMLElement>('input, textarea, a[href], button')?.focus()
  }, [])
  const answer = (given: object) => {
    setSent(true)
    answerQuestion(target, question.requestId, given).catch((error: Error) => {
      setSent(false)
      setProblem(error.message)
    })
  }
  return (
    <section
      ref={card}
      className="card"
      aria-label={question.kind === 'sign-in' ? 'Sign in' : 'The server asks'}
      data-sent={isSent || undefined}
    >
      {question.kind === 'form' && <FormCard question={question} onAnswer={answer} isSent={isSent} />}
      {question.kind === 'url' && <VisitCard question={question} onAnswer={answer} isSent={isSent} />}
      {question.kind === 'sign-in' && <SignInCard question={question} onAnswer={answer} isSent={isSent} />}
      {question.kind === 'model' && <ModelCard question={question} onAnswer={answer} isSent={isSent} />}
      {problem !== undefined && (
        <p className="issue" role="alert">
          {problem}
        </p>
      )}
    </section>
  )
}

interface CardProps<Kind> {
  question: Extract<OpenQuestion, { kind: Kind }>
  onAnswer: Answer
  isSent: boolean
}

function FormCard({ question, onAnswer, isSent }: CardProps<'form'>) {
  const [value, setValue] = useState<unknown>({})
  const id = `question${useId().replace(/\W/g, '')}`
  const accept = (content: unknown) => onAnswer({ action: 'accept', content: content ?? {} })
  return (
    <>
      <h3>The server asks you</h3>
      <p>{question.message}</p>
      <SchemaForm
        id={id}
        schema={question.schema}
        value={value}
        onValue={setValue}
        onSubmit={accept}
        otherwise={<p className="issue">No form is available for this request.</p>}
      />
      <Group gap="xs" mt="sm">
        <Button type="submit" form={id} size="compact-md" disabled={isSent}>
          Accept
        </Button>
        <Refusals onAnswer={onAnswer} isSent={isSent} />
      </Group>
    </>
  )
}

function VisitCard({ question, onAnswer, isSent }: CardProps<'url'>) {
  const host = URL.canParse(question.url) ? new URL(question.url).host : question.url
  const canOpen = /^https?:\/\//.test(question.url)
  return (
    <>
      <h3>The server sends you to a page</h3>
      <p>{question.message}</p>
      <p>
        The page is on <b>{host}</b>: <code>{question.url}</code>
      </p>
      <Group gap="xs" mt="sm">
        {canOpen ? (
          <Button
            size="compact-md"
            component="a"
            href={question.url}
            target="_blank"
            rel="noreferrer noopener"
            onClick={() => onAnswer({ action: 'accept' })}
          >
            Open it, and accept
          </Button>
        ) : (
          <span className="issue">This is not an address that a browser should open.</span>
        )}
        <Button
          size="compact-md"
          variant="default"
          disabled={isSent}
          onClick={() => onAnswer({ action: 'accept' })}
        >
          Accept without opening
        </Button>
        <Refusals onAnswer={onAnswer} isSent={isSent} />
      </Group>
    </>
  )
}

function SignInCard({ question, onAnswer, isSent }: CardProps<'sign-in'>) {
  const { host } = new URL(question.url)
  return (
    <>
      <h3>Sign in to use this server</h3>
      <p>
        The server accepts tokens of the authorization server at <b>{host}</b>. Sign in there; this page continues
        when you are done.
      </p>
      <Group gap="xs" mt="sm">
        <Button size="compact-md" component="a" href={question.url} target="_blank" rel="noreferrer noopener">
          Sign in at {host}
        </Button>
        <CopyButton value={question.url}>
          {({ copied, copy }) => (
            <Button size="compact-md" variant="default" onClick={copy}>
              {copied ? 'Copied' : 'Copy the address'}
            </Button>
          )}
        </CopyButton>
        <Button size="compact-md" variant="subtle" disabled={isSent} onClick={() => onAnswer({ action: 'cancel' })}>
          Cancel
        </Button>
      </Group>
    </>
  )
}

function Refusals({ onAnswer, isSent }: { onAnswer: Answer; isSent: boolean }) {
  return (
    <>
      <Button size="compact-md" variant="default" disabled={isSent} onClick={() => onAnswer({ action: 'decline' })}>
        Decline
      </Button>
      <Button size="compact-md" variant="subtle" disabled={isSent} onClick={() => onAnswer({ action: 'cancel' })}>
        Cancel
      </Button>
    </>
  )
}

function ModelCard({ question, onAnswer, isSent }: CardProps<'model'>) {
  const [text, setText] = useState('')
  const { messages, systemPrompt, maxTokens, modelPreferences, temperature } = question.request
  const hints = modelPreferences?.hints?.map(({ name }) => name).filter(Boolean) ?? []
  const facts = [
    `at most ${maxTokens.toLocaleString('en')} tokens`,
    temperature === undefined ? '' : `temperature ${temperature}`,
    hints.length > 0 ? `would like ${hints.join(', ')}` : '',
  ].filter(Boolean)
  return (
    <>
      <h3>The server asks a model</h3>
      <p className="part-facts">{facts.join(' · ')}</p>
      {systemPrompt !== undefined && <blockquote>{systemPrompt}</blockquote>}
      <div className="conversation">
        {messages.map(({ role, content }, index) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: messages have no names, and a request does not change
          <article key={index} data-role={role} aria-label={role}>
            <h4>{role}</h4>
            {[content].flat().map((block, at) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: as above
              <Block key={at} block={block as never} onFollow={undefined} />
            ))}
          </article>
        ))}
      </div>
      <Textarea
        autosize
        minRows={2}
        maxRows={8}
        label="Reply for the model"
        value={text}
        onChange={(event) => setText(event.currentTarget.value)}
      />
      <Group gap="xs" mt="sm">
        <Button size="compact-md" disabled={isSent || text === ''} onClick={() => onAnswer({ text })}>
          Answer
        </Button>
        <Button
          size="compact-md"
          variant="default"
          disabled={isSent}
          title="Repeats the last message; always the same reply"
          onClick={() => onAnswer({ standIn: true })}
        >
          Let the stand-in answer
        </Button>
        <Button size="compact-md" variant="subtle" disabled={isSent} onClick={() => onAnswer({ refuse: true })}>
          Refuse
        </Button>
      </Group>
    </>
  )
}
