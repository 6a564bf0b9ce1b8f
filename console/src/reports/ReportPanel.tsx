import { Button, Checkbox, Flex, Heading, Stack, Text } from '@chakra-ui/react'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { type FormEvent, useState } from 'react'
import { api, ask, type Schemas } from '../api/client'
import { Choice } from '../parts/Choice'
import { LabelledInput } from '../parts/LabelledInput'
import { LINK } from '../parts/link'
import { Trouble } from '../parts/Trouble'
import { useMoment } from '../parts/useMoment'
import { useMay } from '../session/SessionProvider'
import type { Asked } from '../units/search'

type Plan = Schemas['ReportPlan']
type Job = Schemas['ReportJob']
type Flag = 'newest_only' | 'failed_only' | 'curves' | 'instruments' | 'remarks' | 'ledger' | 'logo'

const LOOK_MS = 500
const FORMS: [Plan['form'], string][] = [
  ['pdf', 'PDF'],
  ['xlsx', 'spreadsheet (XLSX)'],
  ['csv', 'table (CSV)'],
  ['xml', 'XML'],
  ['json', 'JSON'],
]
const LANGUAGES: [Plan['language'], string][] = [
  ['', "the site's"],
  ['en', 'English'],
  ['de', 'Deutsch'],
]
const DEPTHS: [Schemas['Depth'], string][] = [
  ['summary', 'summary'],
  ['readings', 'readings'],
  ['limits', 'readings, limits, clauses'],
  ['procedure', 'and the procedure'],
  ['photos', 'and photos'],
]
const FLAGS: [Flag, string][] = [
  ['newest_only', 'of each unit the newest found'],
  ['failed_only', 'not passed only'],
  ['curves', 'curves'],
  ['instruments', 'instruments'],
  ['remarks', 'remarks'],
  ['ledger', 'place in the ledger'],
  ['logo', 'logo'],
]
const PLAN: Omit<Plan, 'search'> = {
  title: '',
  units: [],
  newest_only: false,
  failed_only: false,
  depth: 'limits',
  curves: true,
  instruments: true,
  remarks: true,
  ledger: false,
  logo: true,
  signatures: [],
  page: '',
  language: '',
  form: 'pdf',
  decimal_comma: false,
  bom: false,
}

function whichWords(count: number | undefined, picked: number): string {
  if (picked > 0) return picked === 1 ? 'the unit picked below' : `the ${picked} units picked below`
  return count === undefined ? 'these units in runs' : `these ${count} units in runs`
}

interface Props {
  asked: Asked
  count: number | undefined
  /** Ids of those of them that it is of; of all where none is picked. */
  picked: string[]
  /** A report that is kept looks for something of its own. */
  onSearch: (asked: Asked) => void
}

/** A report of the units that a search finds: what it tells, in which form, how far it is. */
export default function ReportPanel({ asked, count, picked, onSearch }: Props) {
  const may = useMay()
  const queries = useQueryClient()
  const [plan, setPlan] = useState(PLAN)
  const [name, setName] = useState('')
  const [lines, setLines] = useState('')
  const templates = useQuery({
    queryKey: ['report-templates'],
    queryFn: () => ask(api.GET('/api/v1/report-templates')),
  })
  const signatures = lines
    .split(',')
    .map((each) => each.trim())
    .filter(Boolean)
  const body = (search: Asked) => ({ ...plan, signatures, search }) as Plan
  const make = useMutation({
    mutationFn: (search: Asked) =>
      ask(api.POST('/api/v1/reports', { body: { ...body(search), units: picked } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['reports'] }),
  })
  const keep = useMutation({
    mutationFn: (called: string) =>
      ask(
        api.PUT('/api/v1/report-templates/{name}', {
          params: { path: { name: called } },
          body: { plan: body(asked) },
        }),
      ),
    onSuccess: () => {
      setName('')
      return queries.invalidateQueries({ queryKey: ['report-templates'] })
    },
  })
  const set = (changed: Partial<Plan>) => setPlan((kept) => ({ ...kept, ...changed }))

  function use(called: string) {
    const kept: Partial<Plan> = templates.data?.find((each) => each.name === called)?.plan ?? {}
    const { search, ...rest } = kept
    setPlan({ ...PLAN, ...rest })
    setLines(rest.signatures?.join(', ') ?? '')
    if (search && Object.keys(search).length > 0) onSearch(search as Asked)
  }
  function submit(event: FormEvent) {
    event.preventDefault()
    make.mutate(asked)
  }
  const trouble = make.error ?? keep.error ?? templates.error
  return (
    <Stack as="section" aria-label="Report" gap="3" bg="plate" borderWidth="1px" p="4">
      <Heading as="h2" size="md">
        Report of {whichWords(count, picked.length)}
      </Heading>
      <form onSubmit={submit}>
        <Stack gap="3">
          <Flex gap="4" wrap="wrap" align="end">
            <LabelledInput
              label="Title"
              hint="Test report"
              width="14rem"
              value={plan.title}
              onChange={(title) => set({ title })}
            />
            <Choice
              label="What it tells"
              width="14rem"
              value={plan.depth}
              options={DEPTHS}
              onChange={(depth) => set({ depth: depth as Plan['depth'] })}
            />
            <Choice
              label="Form"
              width="12rem"
              value={plan.form}
              options={FORMS}
              onChange={(form) => set({ form: form as Plan['form'] })}
            />
            {plan.form === 'pdf' && (
              <Choice
                label="Language"
                width="8rem"
                value={plan.language}
                options={LANGUAGES}
                onChange={(language) => set({ language: language as Plan['language'] })}
              />
            )}
            <LabelledInput
              label="Lines to sign on"
              hint="Auditor, Client"
              width="14rem"
              value={lines}
              onChange={setLines}
            />
            <Button type="submit" bg="act" color="act.ink" loading={make.isPending}>
              Make report
            </Button>
          </Flex>
          <Flex gap="4" wrap="wrap">
            {FLAGS.map(([flag, words]) => (
              <Tick
                key={flag}
                words={words}
                isOn={plan[flag]}
                onChange={(on) => set({ [flag]: on })}
              />
            ))}
            {plan.form === 'csv' && (
              <>
                <Tick
                  words="decimal comma"
                  isOn={plan.decimal_comma}
                  onChange={(on) => set({ decimal_comma: on })}
                />
                <Tick words="mark of UTF-8" isOn={plan.bom} onChange={(on) => set({ bom: on })} />
              </>
            )}
          </Flex>
        </Stack>
      </form>
      <Flex gap="4" wrap="wrap" align="end">
        {(templates.data?.length ?? 0) > 0 && (
          <Choice
            label="As one that is kept"
            width="16rem"
            value=""
            options={[
              ['', 'choose'],
              ...(templates.data ?? []).map((each): [string, string] => [each.name, each.name]),
            ]}
            onChange={(called) => called && use(called)}
          />
        )}
        {may.audit && (
          <>
            <LabelledInput label="Keep it as" width="16rem" value={name} onChange={setName} />
            <Button
              variant="outline"
              borderColor="edge"
              color="ink"
              disabled={name.trim() === ''}
              loading={keep.isPending}
              onClick={() => keep.mutate(name.trim())}
            >
              Keep
            </Button>
          </>
        )}
      </Flex>
      {trouble && <Trouble text={trouble.message} />}
      <Jobs />
    </Stack>
  )
}

function Tick(props: { words: string; isOn: boolean; onChange: (on: boolean) => void }) {
  return (
    <Checkbox.Root
      size="sm"
      checked={props.isOn}
      onCheckedChange={({ checked }) => props.onChange(checked === true)}
    >
      <Checkbox.HiddenInput />
      <Checkbox.Control />
      <Checkbox.Label>{props.words}</Checkbox.Label>
    </Checkbox.Root>
  )
}

const isGoing = (job: Job) => job.state === 'waiting' || job.state === 'making'

function Jobs() {
  const moment = useMoment()
  const queries = useQueryClient()
  const found = useQuery({
    queryKey: ['reports'],
    queryFn: () => ask(api.GET('/api/v1/reports')),
    refetchInterval: ({ state }) => (state.data?.some(isGoing) ? LOOK_MS : false),
  })
  const cancel = useMutation({
    mutationFn: (id: string) =>
      ask(api.POST('/api/v1/reports/{report_id}/cancel', { params: { path: { report_id: id } } })),
    onSettled: () => queries.invalidateQueries({ queryKey: ['reports'] }),
  })
  const jobs = found.data ?? []
  if (jobs.length === 0) return null
  return (
    <Stack gap="2" as="ul" listStyleType="none" aria-label="Reports">
      {jobs.map((job) => (
        <Flex as="li" key={job.id} gap="4" wrap="wrap" align="center">
          <Text fontWeight="bold">{job.title}</Text>
          <Text color="soft">
            {job.form.toUpperCase()}, {moment(job.asked_at)}, {job.asked_by}
          </Text>
          {isGoing(job) && (
            <>
              <progress
                max={job.total || 1}
                value={job.done}
                style={{ accentColor: 'var(--chakra-colors-act)' }}
                aria-label={`${job.title}: ${job.done} of ${job.total} units`}
              />
              <Text>
                {job.done} of {job.total}
              </Text>
              <Button
                size="xs"
                variant="outline"
                borderColor="edge"
                color="ink"
                onClick={() => cancel.mutate(job.id)}
              >
                Stop
              </Button>
            </>
          )}
          {job.state === 'ready' && (
            <a href={`/api/v1/reports/${job.id}/file`} download style={LINK}>
              {job.total - job.left_out} units, {sizeText(job.bytes)}
            </a>
          )}
          {job.state === 'stopped' && <Text color="soft">stopped</Text>}
          {job.state === 'failed' && <Text color="bad">{job.problem}</Text>}
        </Flex>
      ))}
      {cancel.isError && <Trouble text={cancel.error.message} />}
    </Stack>
  )
}

function sizeText(bytes: number): string {
  return bytes < 1_000_000
    ? `${Math.ceil(bytes / 1000)} kB`
    : `${(bytes / 1_000_000).toFixed(1)} MB`
}
