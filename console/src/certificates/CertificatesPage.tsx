import { Box, Button, Flex, Heading, Stack, Text } from '@chakra-ui/react'
import { useInfiniteQuery, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useSearchParams } from 'react-router'
import { api, ask } from '../api/client'
import { Choice } from '../parts/Choice'
import { DataTable } from '../parts/DataTable'
import { LabelledInput } from '../parts/LabelledInput'
import { LINK } from '../parts/link'
import { Trouble } from '../parts/Trouble'
import { useMoment } from '../parts/useMoment'
import { Waiting } from '../parts/Waiting'
import { useMay } from '../session/SessionProvider'
import { ActForm } from './ActForm'
import { PaperLink } from './PaperLink'
import {
  canApprove,
  canRevoke,
  type Found,
  isDocument,
  KINDS,
  kindWords,
  STANDINGS,
  standingWords,
  subjectOf,
} from './standing'
import { VerifyFile } from './VerifyFile'

const PAGE = 50
const COMING_MS = 1000

type Act = { kind: 'revoke'; number: string } | { kind: 'approve'; numbers: string[]; lot: string }

/** What was issued: found, seen, taken away, verified; by quality revoked and approved. */
export default function CertificatesPage() {
  const moment = useMoment()
  const may = useMay()
  const queries = useQueryClient()
  const [query, setQuery] = useSearchParams()
  const [act, setAct] = useState<Act>()
  const [trouble, setTrouble] = useState('')
  const [done, setDone] = useState('')
  const wanted = {
    kind: query.get('kind') ?? '',
    standing: query.get('standing') ?? '',
    serial: query.get('serial') ?? '',
    lot: query.get('lot') ?? '',
    number: query.get('number') ?? '',
    of: query.get('of') ?? '',
  }
  const site = useQuery({ queryKey: ['site'], queryFn: () => ask(api.GET('/api/v1/site')) })
  const hasPrinter = !!site.data?.printer && !wanted.of
  const benches = site.data?.carried ?? []
  const found = useInfiniteQuery({
    queryKey: ['certificates', wanted],
    queryFn: ({ pageParam }) =>
      ask(
        api.GET('/api/v1/certificates', {
          params: { query: { ...(wanted as object), before: pageParam, count: PAGE } },
        }),
      ),
    initialPageParam: 0,
    getNextPageParam: (last: Found[]) =>
      last.length === PAGE ? last[last.length - 1]?.position : undefined,
    refetchInterval: ({ state }) =>
      state.data?.pages.some((page) => page.some((each) => each.paper === 'coming'))
        ? COMING_MS
        : false,
  })

  function look(name: string, value: string) {
    setQuery(
      (kept) => {
        if (value) kept.set(name, value)
        else kept.delete(name)
        return kept
      },
      { replace: true },
    )
  }

  async function perform(doing: Promise<{ number: string }>, words: string): Promise<boolean> {
    try {
      const made = await doing
      setTrouble('')
      setDone(`${words} (${made.number}).`)
      await queries.invalidateQueries({ queryKey: ['certificates'] })
      return true
    } catch (error) {
      setTrouble((error as Error).message)
      return false
    }
  }

  async function print(number: string) {
    try {
      await ask(api.POST('/api/v1/certificates/{number}/print', { params: { path: { number } } }))
      setTrouble('')
      setDone(`${number} goes to the printer; what it waits for there stands in the outbox.`)
    } catch (error) {
      setDone('')
      setTrouble((error as Error).message)
    }
  }

  const rows = found.data?.pages.flat() ?? []
  const waiting = rows.filter(canApprove)
  return (
    <Stack gap="5">
      <Heading as="h1" size="2xl">
        Certificates
      </Heading>
      <Flex gap="4" wrap="wrap" align="end">
        <Choice
          label="Kind"
          value={wanted.kind}
          options={KINDS}
          onChange={(v) => look('kind', v)}
          width="13rem"
        />
        <Choice
          label="Standing"
          value={wanted.standing}
          options={STANDINGS}
          onChange={(v) => look('standing', v)}
          width="12rem"
        />
        <LabelledInput
          label="Serial"
          hint="DC40-26-01*"
          width="11rem"
          value={wanted.serial}
          onChange={(v) => look('serial', v)}
        />
        <LabelledInput
          label="Lot"
          width="9rem"
          value={wanted.lot}
          onChange={(v) => look('lot', v)}
        />
        <LabelledInput
          label="Number"
          hint="C-2026-"
          width="10rem"
          value={wanted.number}
          onChange={(v) => look('number', v)}
        />
        {benches.length > 0 && (
          <Choice
            label="Ledger of"
            width="12rem"
            value={wanted.of}
            options={[
              ['', 'this service'],
              ...benches.map((each): [string, string] => [each, each]),
            ]}
            onChange={(v) => look('of', v)}
          />
        )}
        {may.quality && !wanted.of && wanted.lot && waiting.length > 0 && (
          <Button
            bg="act"
            color="act.ink"
            onClick={() => setAct({ kind: 'approve', numbers: [], lot: wanted.lot })}
          >
            Approve lot {wanted.lot}
          </Button>
        )}
      </Flex>
      {trouble && <Trouble text={trouble} />}
      {done && (
        <Text role="status" fontWeight="bold">
          {done}
        </Text>
      )}
      {act?.kind === 'revoke' && (
        <ActForm
          title={`Revoke ${act.number}: it counts no longer from now on, for good.`}
          label="Reason, which stands on every copy made later"
          hint="Bond source found out of tolerance"
          act="Revoke"
          isGrave
          isRequired
          onLeave={() => setAct(undefined)}
          onAct={(reason) =>
            perform(
              ask(
                api.POST('/api/v1/certificates/{number}/revoke', {
                  params: { path: { number: act.number } },
                  body: { reason },
                }),
              ),
              `${act.number} is revoked`,
            )
          }
        />
      )}
      {act?.kind === 'approve' && (
        <ActForm
          title={
            act.lot
              ? `Approve every document of lot ${act.lot} that waits for it.`
              : `Approve ${act.numbers.join(', ')}.`
          }
          label="Note (optional)"
          hint=""
          act="Approve"
          isGrave={false}
          isRequired={false}
          onLeave={() => setAct(undefined)}
          onAct={(note) =>
            perform(
              ask(
                api.POST('/api/v1/approvals', {
                  body: { numbers: act.numbers, lot: act.lot, note },
                }),
              ),
              'Approved',
            )
          }
        />
      )}
      {found.isError && <Trouble text={found.error.message} />}
      {found.isPending && <Waiting />}
      {found.data && rows.length === 0 && <Text color="soft">Nothing of that was issued.</Text>}
      {rows.length > 0 && (
        <DataTable
          label="Documents"
          rows={rows}
          keyOf={(each) => each.number}
          columns={[
            {
              head: 'Number',
              isWhole: true,
              cell: (each) => (
                <PaperLink number={each.number} paper={each.paper} of={each.from_bench} />
              ),
            },
            { head: 'Kind', cell: (each) => kindWords(each.kind) },
            { head: 'Of', cell: (each) => <Subject found={each} /> },
            { head: 'Lot', isWhole: true, cell: (each) => each.lot },
            {
              head: 'Issued',
              isWhole: true,
              cell: (each) => moment(each.issued_at),
            },
            {
              head: 'Standing',
              cell: (each) => (
                <Text
                  color={each.revoked_by || each.superseded_by ? 'bad' : 'good'}
                  fontWeight="bold"
                >
                  {standingWords(each)}
                </Text>
              ),
            },
            {
              head: 'Do',
              cell: (each) => (
                <Do
                  found={each}
                  mayAct={may.quality && !wanted.of}
                  onAct={setAct}
                  onPrint={hasPrinter && each.paper !== 'none' ? print : undefined}
                />
              ),
            },
          ]}
        />
      )}
      {found.hasNextPage && (
        <Button
          alignSelf="start"
          variant="outline"
          borderColor="edge"
          color="ink"
          loading={found.isFetchingNextPage}
          onClick={() => void found.fetchNextPage()}
        >
          Earlier ones
        </Button>
      )}
      <VerifyFile />
    </Stack>
  )
}

function Subject({ found }: { found: Found }) {
  if (!found.serial) return <>{subjectOf(found)}</>
  return (
    <Link to={`/units/${found.serial}`} style={LINK}>
      {found.serial}
    </Link>
  )
}

function Do({
  found,
  mayAct,
  onAct,
  onPrint,
}: {
  found: Found
  mayAct: boolean
  onAct: (act: Act) => void
  onPrint: ((number: string) => void) | undefined
}) {
  return (
    <Flex gap="2" align="center">
      <a
        href={`/api/v1/certificates/${found.number}`}
        download={`${found.number}.json`}
        style={LINK}
      >
        Data
      </a>
      {isDocument(found) && (
        <a href={`/verify/${found.number}`} style={LINK}>
          Verify
        </a>
      )}
      <Box as="span" display="inline-flex" gap="2">
        {onPrint && (
          <Button
            size="xs"
            variant="outline"
            borderColor="edge"
            color="ink"
            aria-label={`Print ${found.number}`}
            onClick={() => onPrint(found.number)}
          >
            Print
          </Button>
        )}
        {mayAct && canApprove(found) && (
          <Button
            size="xs"
            variant="outline"
            borderColor="edge"
            color="ink"
            aria-label={`Approve ${found.number}`}
            onClick={() => onAct({ kind: 'approve', numbers: [found.number], lot: '' })}
          >
            Approve
          </Button>
        )}
        {mayAct && canRevoke(found) && (
          <Button
            size="xs"
            variant="outline"
            borderColor="bad"
            color="bad"
            aria-label={`Revoke ${found.number}`}
            onClick={() => onAct({ kind: 'revoke', number: found.number })}
          >
            Revoke
          </Button>
        )}
      </Box>
    </Flex>
  )
}
