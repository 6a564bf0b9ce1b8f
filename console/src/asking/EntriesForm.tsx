import { Box, Button, Flex, Input, Text } from '@chakra-ui/react'
import { type FormEvent, type KeyboardEvent, useEffect, useRef, useState } from 'react'
import type { Schemas } from '../api/client'
import { KeyButton } from '../parts/KeyButton'
import { LabelledInput } from '../parts/LabelledInput'
import type { Question } from './question'
import { stepped, withUnit } from './stepped'

type Entry = Question['entries'][number]
export type Beside = Schemas['BesideIn']

/** What a form was filled with: values, what came with them, and photos of them, by entry. */
export interface Filled {
  values: Record<string, string>
  beside: Record<string, Beside>
  photos: Record<string, File>
}

const NOTHING_BESIDE: Beside = { note: '', picture: '', target: '', reason: '' }
const NOTHING: Filled = { values: {}, beside: {}, photos: {} }

interface Props {
  entries: Question['entries']
  /** How long the question's output has been on; null where that was not heard yet. */
  elapsedS: number | null | undefined
  onFilled: (filled: Filled) => void
}

/**
 * Several entries at once, a row each: Enter takes what stands there and goes to the next, the last
 * one hands all of them in. Arrows move a figure by the steps of its display.
 */
export default function EntriesForm({ entries, elapsedS, onFilled }: Props) {
  const [filled, setFilled] = useState<Filled>(() => ({
    ...NOTHING,
    values: Object.fromEntries(entries.map((each) => [each.name, each.target])),
  }))
  const [at, setAt] = useState(0)
  const began = useRef(elapsedS)
  began.current ??= elapsedS // asked before its output was first looked at

  function leftS(entry: Entry): number {
    if (elapsedS === undefined) return 0 // whoever asks sees to it
    return Math.max(0, entry.settles_s - ((elapsedS ?? 0) - (began.current ?? 0)))
  }
  function isGiven(entry: Entry, now: Filled): boolean {
    const photo = now.photos[entry.name] !== undefined
    const value = (now.values[entry.name] ?? '').trim() !== ''
    return entry.photo === 'beside' ? photo && value : value || (photo && entry.photo === 'instead')
  }
  function take(place: number, now: Filled) {
    const entry = entries[place]
    if (!entry || !isGiven(entry, now) || leftS(entry) > 0) return
    const lacking = entries.findIndex((each) => !isGiven(each, now) || leftS(each) > 0)
    if (place + 1 < entries.length) setAt(place + 1)
    else if (lacking >= 0) setAt(lacking)
    else onFilled({ ...now, values: written(entries, now.values) })
  }
  function submit(event: FormEvent) {
    event.preventDefault()
    take(at, filled)
  }
  return (
    <form onSubmit={submit} style={{ flex: '1 1 30rem' }}>
      {entries.map((entry, place) => (
        <EntryRow
          key={entry.name}
          entry={entry}
          filled={filled}
          isAt={place === at}
          isDone={place < at}
          leftS={leftS(entry)}
          onAt={() => setAt(place)}
          onChange={setFilled}
          onTake={(now) => {
            setFilled(now)
            take(place, now)
          }}
        />
      ))}
      <Flex justify="flex-end" mt="2">
        <KeyButton keyName="Enter" type="submit" bg="act" color="act.ink">
          {at === entries.length - 1 ? 'Enter all' : 'Enter, next'}
        </KeyButton>
      </Flex>
    </form>
  )
}

/** The values as they are handed in: what stands for a photo alone is left out. */
function written(entries: Entry[], values: Record<string, string>): Record<string, string> {
  const whole = entries.map(({ name, step }) => [name, withUnit(values[name] ?? '', step)])
  return Object.fromEntries(whole.filter(([, value]) => value !== ''))
}

interface RowProps {
  entry: Entry
  filled: Filled
  isAt: boolean
  isDone: boolean
  leftS: number
  onAt: () => void
  onChange: (filled: Filled) => void
  onTake: (filled: Filled) => void
}

function EntryRow({ entry, filled, isAt, isDone, leftS, onAt, onChange, onTake }: RowProps) {
  const [isOpen, setIsOpen] = useState(false)
  const more = ['note', ...(entry.may_retarget ? ['target'] : [])].join(', ')
  const value = filled.values[entry.name] ?? ''
  const beside = filled.beside[entry.name] ?? NOTHING_BESIDE
  const withValue = (next: string): Filled => ({
    ...filled,
    values: { ...filled.values, [entry.name]: next },
  })
  const withBeside = (next: Partial<Beside>): Filled => ({
    ...filled,
    beside: { ...filled.beside, [entry.name]: { ...beside, ...next } },
  })
  return (
    <Box
      bg={isAt ? 'plate' : 'transparent'}
      color="ink"
      borderLeftWidth="4px"
      borderColor={isAt ? 'act' : isDone ? 'good' : 'edge'}
      px="3"
      py="2"
      onFocus={onAt}
    >
      <Flex gap="3" align="center" wrap="wrap">
        <Box w="13rem">
          <Text fontWeight="bold">
            {isDone && '✓ '}
            {entry.title}
          </Text>
          <Text fontSize="sm" color={leftS > 0 ? 'unsure.ink' : 'soft'}>
            {leftS > 0
              ? `settles, ${Math.ceil(leftS)} s more`
              : entry.target && `target ${entry.target}`}
          </Text>
        </Box>
        {entry.choices.length > 0 ? (
          <ChoiceRow entry={entry} value={value} isAt={isAt} onTake={(v) => onTake(withValue(v))} />
        ) : (
          <FigureRow
            entry={entry}
            value={value}
            isAt={isAt}
            onChange={(next) => onChange(withValue(next))}
            onTake={(next) => onTake(withValue(next))}
          />
        )}
        <Button
          size="lg"
          variant="outline"
          bg="plate"
          borderColor="edge"
          aria-expanded={isOpen}
          aria-label={`${more} on ${entry.title}`}
          onClick={() => setIsOpen(!isOpen)}
        >
          {more}
        </Button>
        {entry.photo !== 'none' && <PhotoOf entry={entry} filled={filled} onChange={onChange} />}
      </Flex>
      {isOpen && (
        <Flex gap="3" mt="2" wrap="wrap" align="flex-end">
          <LabelledInput
            label={`Note on ${entry.title}`}
            width="20rem"
            value={beside.note}
            onChange={(note) => onChange(withBeside({ note }))}
          />
          {entry.may_retarget && (
            <>
              <LabelledInput
                label="Target of this device"
                width="9rem"
                hint={entry.target}
                value={beside.target}
                onChange={(target) => onChange(withBeside({ target }))}
              />
              <LabelledInput
                label="Why it is another"
                width="16rem"
                value={beside.reason}
                onChange={(reason) => onChange(withBeside({ reason }))}
              />
            </>
          )}
        </Flex>
      )}
    </Box>
  )
}

interface PhotoProps {
  entry: Entry
  filled: Filled
  onChange: (filled: Filled) => void
}

function PhotoOf({ entry, filled, onChange }: PhotoProps) {
  function pick(file: File | undefined) {
    const { [entry.name]: _, ...others } = filled.photos
    const photos = file ? { ...others, [entry.name]: file } : others
    const values =
      file && entry.photo === 'instead' ? { ...filled.values, [entry.name]: '' } : filled.values
    onChange({ ...filled, photos, values })
  }
  return (
    <label>
      {entry.photo === 'beside' ? 'with a photo ' : 'or a photo '}
      <input
        type="file"
        accept="image/png,image/jpeg,image/webp"
        capture="environment"
        onChange={(event) => pick(event.target.files?.[0])}
      />
    </label>
  )
}

interface FigureProps {
  entry: Entry
  value: string
  isAt: boolean
  onChange: (value: string) => void
  onTake: (value: string) => void
}

/** A figure: as shown by a tap, by keys, or by arrows from where it stands. */
function FigureRow({ entry, value, isAt, onChange, onTake }: FigureProps) {
  const field = useRef<HTMLInputElement>(null)
  useEffect(() => {
    if (isAt) field.current?.select()
  }, [isAt])
  function move(event: KeyboardEvent) {
    const by = { ArrowUp: 1, ArrowDown: -1 }[event.key]
    if (by === undefined || !entry.step) return
    event.preventDefault()
    onChange(stepped(value, entry.step, by))
  }
  return (
    <>
      {entry.step && (
        <Arrow
          label={`Less ${entry.title}`}
          sign="−"
          onClick={() => onChange(stepped(value, entry.step, -1))}
        />
      )}
      <Input
        ref={field}
        aria-label={entry.title}
        autoComplete="off"
        size="lg"
        w="9rem"
        fontSize="xl"
        bg="plate"
        borderColor="edge"
        placeholder="with its unit"
        value={value}
        onKeyDown={move}
        onChange={(event) => onChange(event.target.value)}
      />
      {entry.step && (
        <Arrow
          label={`More ${entry.title}`}
          sign="+"
          onClick={() => onChange(stepped(value, entry.step, 1))}
        />
      )}
      {entry.target && (
        <Button
          size="lg"
          variant="outline"
          bg="plate"
          borderColor="edge"
          tabIndex={-1}
          aria-label={`${entry.title} as shown, ${entry.target}`}
          onClick={() => onTake(entry.target)}
        >
          as shown
        </Button>
      )}
    </>
  )
}

function Arrow({ label, sign, onClick }: { label: string; sign: string; onClick: () => void }) {
  return (
    <Button
      size="lg"
      variant="outline"
      bg="plate"
      borderColor="edge"
      aria-label={label}
      tabIndex={-1}
      minW="3rem"
      onClick={onClick}
    >
      {sign}
    </Button>
  )
}

interface ChoiceRowProps {
  entry: Entry
  value: string
  isAt: boolean
  onTake: (value: string) => void
}

/** One of a few: the target has the focus, so that Enter takes it; a tap takes any. */
function ChoiceRow({ entry, value, isAt, onTake }: ChoiceRowProps) {
  const first = useRef<HTMLButtonElement>(null)
  useEffect(() => {
    if (isAt) first.current?.focus()
  }, [isAt])
  const offered = value || entry.choices[0]
  return (
    <Flex gap="2" role="group" aria-label={entry.title}>
      {entry.choices.map((choice) => (
        <Button
          key={choice}
          ref={choice === offered ? first : undefined}
          size="lg"
          minW="5rem"
          variant={choice === offered ? 'solid' : 'outline'}
          bg={choice === offered ? 'act' : 'plate'}
          color={choice === offered ? 'act.ink' : 'ink'}
          borderColor="edge"
          onClick={() => onTake(choice)}
        >
          {choice}
        </Button>
      ))}
    </Flex>
  )
}
