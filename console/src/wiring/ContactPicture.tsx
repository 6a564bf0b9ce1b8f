import { Box } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { api, ask } from '../api/client'
import { type Connector, cableOf } from './cable'

const STEP = 34

/** The face of a connector with the contact that is to be touched. */
export function ContactPicture({ product, contact }: { product: string; contact: string }) {
  const found = useQuery({
    queryKey: ['products', product],
    queryFn: () => ask(api.GET('/api/v1/products/{code}', { params: { path: { code: product } } })),
    staleTime: Number.POSITIVE_INFINITY,
  })
  const [code = '', ...rest] = contact.split(':')
  const cable = found.data === undefined ? null : cableOf(found.data)
  const connector = cable?.connectors.find((each) => each.code === code)
  if (connector === undefined) return null
  return <Face connector={connector} wanted={rest.join(':')} />
}

function Face({ connector, wanted }: { connector: Connector; wanted: string }) {
  const most = Math.max(...connector.rows.map((row) => row.length))
  const width = (most + 1) * STEP
  const height = (connector.rows.length + 1) * STEP
  return (
    <Box mb="3">
      <svg
        role="img"
        aria-label={`Connector ${connector.code}: touch ${wanted}`}
        width={width}
        height={height}
        viewBox={`0 0 ${width} ${height}`}
      >
        <rect
          x="1"
          y="1"
          width={width - 2}
          height={height - 2}
          rx="10"
          fill="none"
          stroke="currentColor"
        />
        {connector.rows.map((row, line) =>
          row.map((name, place) => {
            const x = width / 2 + (place - (row.length - 1) / 2) * STEP
            const y = (line + 1) * STEP
            const isWanted = name === wanted
            return (
              <g key={name}>
                <circle
                  cx={x}
                  cy={y}
                  r={isWanted ? 16 : 14}
                  fill={isWanted ? 'currentColor' : 'none'}
                  stroke="currentColor"
                  strokeWidth={isWanted ? 3 : 1}
                />
                <text
                  x={x}
                  y={y + 4}
                  textAnchor="middle"
                  fontSize="12"
                  fontWeight={isWanted ? 'bold' : 'normal'}
                  fill={isWanted ? 'var(--chakra-colors-plate)' : 'currentColor'}
                >
                  {name}
                </text>
              </g>
            )
          }),
        )}
      </svg>
    </Box>
  )
}
