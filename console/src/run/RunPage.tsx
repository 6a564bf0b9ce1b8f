import { useParams } from 'react-router'
import { LoadForm } from './LoadForm'
import { RunBoard } from './RunBoard'

/** Without a run in the address: load one. With one: watch it to its verdict. */
export function RunPage() {
  const { runId } = useParams()
  return runId === undefined ? <LoadForm /> : <RunBoard key={runId} runId={runId} />
}
