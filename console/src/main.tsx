import { ChakraProvider } from '@chakra-ui/react'
import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { StrictMode } from 'react'
import { createRoot } from 'react-dom/client'
import { BrowserRouter } from 'react-router'
import { Routes } from './Routes'
import { SessionProvider } from './session/SessionProvider'
import { lichen } from './theme/lichen'
import { applyMode, savedMode } from './theme/mode'

applyMode(savedMode())

const queries = new QueryClient({ defaultOptions: { queries: { retry: 1, staleTime: 5_000 } } })
const root = document.getElementById('root')
if (root === null) throw new Error('index.html has no #root')

createRoot(root).render(
  <StrictMode>
    <ChakraProvider value={lichen}>
      <QueryClientProvider client={queries}>
        <BrowserRouter>
          <SessionProvider>
            <Routes />
          </SessionProvider>
        </BrowserRouter>
      </QueryClientProvider>
    </ChakraProvider>
  </StrictMode>,
)
