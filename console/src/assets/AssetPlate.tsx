import { Flex, Text } from '@chakra-ui/react'
import type { Schemas } from '../api/client'

type Asset = Schemas['AssetOut']

const STATES: Record<Asset['state'], string> = {
  new: 'Never tested',
  in_use: 'In use',
  in_repair: 'In repair',
  undecided: 'Not decided',
}

/** When a device is next due; empty where its product does not say how often. */
export function dueText({ due, is_overdue: isOverdue }: Asset): string {
  if (due) return isOverdue ? `was due on ${due}` : `next due on ${due}`
  return isOverdue ? 'due now' : ''
}

/** A device in short: what it is, how it stands, what failed last time, when it is next due. */
export function AssetPlate({ asset }: { asset: Asset }) {
  const failed = asset.last?.failed ?? []
  const isBad = asset.state === 'in_repair'
  return (
    <Flex columnGap="4" wrap="wrap" role="status" aria-label={`Device ${asset.number}`}>
      <Text fontWeight="bold">
        {asset.number || 'no number'}: {asset.product} {asset.serial}
      </Text>
      {asset.place && <Text>{asset.place}</Text>}
      <Text color={isBad ? 'bad' : undefined} fontWeight={isBad ? 'bold' : undefined}>
        {STATES[asset.state]}
        {failed.length > 0 && `, failed last time: ${failed.join(', ')}`}
      </Text>
      <Text color={asset.is_overdue ? 'unsure.ink' : 'soft'}>{dueText(asset)}</Text>
    </Flex>
  )
}
