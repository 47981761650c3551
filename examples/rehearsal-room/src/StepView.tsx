import type { Step } from 'jexo/host'
import { Boundary } from './Boundary.tsx'
import { CallCard } from './CallCard.tsx'
import { PageCallCard, PageContextCard, PageMessageCard } from './PageCards.tsx'
import { QuestionCard } from './QuestionCard.tsx'
import { SamplingCard } from './SamplingCard.tsx'
import type { Act } from './Servers.tsx'

export function StepView({ step, act, proxy }: { step: Step; act: Act; proxy: string | undefined }) {
  return (
    <Boundary instead={(reason) => <div className="note fault">This step cannot be shown: {reason}</div>}>
      <Shown step={step} act={act} proxy={proxy} />
    </Boundary>
  )
}

function Shown({ step, act, proxy }: { step: Step; act: Act; proxy: string | undefined }) {
  switch (step.kind) {
    case 'person':
      return (
        <div className="person">
          {step.page !== undefined && <span className="soft">from the page of {step.page}: </span>}
          {step.text}
          {step.attached.map(({ label, text }) => (
            <details key={label}>
              <summary className="soft">attached: {label}</summary>
              <pre>{text.slice(0, 4000)}</pre>
            </details>
          ))}
        </div>
      )
    case 'model':
      return <div className="model">{step.text}</div>
    case 'note':
      return <div className={step.isFault ? 'note fault' : 'note soft'}>{step.text}</div>
    case 'call':
      return <CallCard step={step} act={act} proxy={proxy} />
    case 'question':
      return <QuestionCard step={step} act={act} />
    case 'page-call':
      return <PageCallCard step={step} />
    case 'page-message':
      return <PageMessageCard step={step} act={act} />
    case 'page-context':
      return <PageContextCard step={step} />
    case 'sampling':
      return <SamplingCard step={step} act={act} />
  }
}
