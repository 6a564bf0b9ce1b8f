import { Box, Button, Flex, HStack, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { NavLink, Outlet } from 'react-router'
import { api, ask } from '../api/client'
import { DangerBand } from '../danger/DangerBand'
import { LINK } from '../parts/link'
import { Mark } from '../parts/Mark'
import { showTemperaturesIn } from '../parts/quantity'
import { keepSounds, play, soundsAreOn } from '../parts/sounds'
import { Waiting } from '../parts/Waiting'
import PasswordPage from '../session/PasswordPage'
import { useMay, useSession } from '../session/SessionProvider'
import { SignInAgain, SignInPage } from '../session/SignInPage'
import { keepMode, savedMode } from '../theme/mode'

const PLACES = [
  { to: '/run', name: 'Run', roles: ['operator', 'engineer', 'quality'] },
  { to: '/lots', name: 'Lots', roles: ['operator', 'engineer', 'quality', 'administrator'] },
  { to: '/units', name: 'Units', roles: ['operator', 'engineer', 'quality', 'administrator'] },
  { to: '/trends', name: 'Trends', roles: ['engineer', 'quality'] },
  {
    to: '/certificates',
    name: 'Certificates',
    roles: ['operator', 'engineer', 'quality', 'administrator'],
  },
  { to: '/sequences', name: 'Sequences', roles: ['engineer', 'quality'] },
  { to: '/products', name: 'Products', roles: ['engineer', 'quality'] },
  { to: '/limits', name: 'Limits', roles: ['engineer', 'quality'] },
  { to: '/bench', name: 'Bench', roles: ['engineer', 'quality'] },
  { to: '/people', name: 'People', roles: ['engineer', 'quality', 'administrator'] },
]

/** What stands around every page; without a sign-in, the sign-in page in its place. */
export function Shell() {
  const { state, signOut } = useSession()
  const may = useMay()
  const [mode, setMode] = useState(savedMode)
  const [isLoud, setLoud] = useState(soundsAreOn)
  const site = useQuery({
    queryKey: ['site'],
    queryFn: () => ask(api.GET('/api/v1/site')),
    enabled: state.at === 'in',
  })
  if (site.data !== undefined) showTemperaturesIn(site.data.temperature)
  if (state.at === 'pending') return <Waiting />
  if (state.at === 'out') return <SignInPage />

  const other = mode === 'light' ? 'dark' : 'light'
  return (
    <Box minH="100vh">
      <DangerBand mayEarth={may.run} />
      {state.hasEnded && <SignInAgain />}
      <Flex
        as="header"
        inert={state.hasEnded}
        bg="plate"
        borderBottomWidth="1px"
        borderColor="edge"
        px="5"
        minH="14"
        wrap="wrap"
        gap={{ base: '3', xl: '4' }}
      >
        <NavLink
          to={state.me.role === 'operator' ? '/run' : '/start'}
          title="Today"
          style={{ display: 'flex', alignItems: 'center', gap: '0.5rem' }}
        >
          <Mark size={26} />
          <Text fontWeight="bold" fontSize="lg" display={{ base: 'none', xl: 'block' }}>
            Loricate
          </Text>
        </NavLink>
        <HStack as="nav" aria-label="Pages" gap="1" flex="1" align="stretch" minH="14">
          {PLACES.filter((place) => place.roles.includes(state.me.role)).map((place) => (
            <NavLink key={place.to} to={place.to} style={{ display: 'flex' }}>
              {({ isActive }) => (
                <Flex
                  align="center"
                  px={{ base: '2', xl: '1.5', '2xl': '2' }}
                  fontWeight={isActive ? 'bold' : 'normal'}
                  color={isActive ? 'act' : 'ink'}
                  borderBottomWidth="3px"
                  borderColor={isActive ? 'act' : 'transparent'}
                >
                  {place.name}
                </Flex>
              )}
            </NavLink>
          ))}
        </HStack>
        <HStack gap={{ base: '1', xl: '2' }}>
          <Button
            size="sm"
            variant="ghost"
            color="ink"
            aria-pressed={isLoud}
            onClick={() => {
              keepSounds(!isLoud)
              setLoud(!isLoud)
              if (!isLoud) play('attention')
            }}
          >
            {isLoud ? 'Sounds on' : 'Sounds off'}
          </Button>
          <Button
            size="sm"
            variant="ghost"
            color="ink"
            onClick={() => {
              keepMode(other)
              setMode(other)
            }}
          >
            {other === 'dark' ? 'Dark' : 'Light'}
          </Button>
          <NavLink
            to="/password"
            title={`Signed in as ${state.me.role}. Change your password`}
            style={LINK}
          >
            <Text
              fontSize="sm"
              display={{ base: 'none', xl: 'block' }}
              maxW={{ xl: '8rem', '2xl': '16rem' }}
              truncate
            >
              {state.me.full_name}
              <Box as="span" display={{ base: 'none', '2xl': 'inline' }}>
                , {state.me.role}
              </Box>
            </Text>
            <Text fontSize="sm" display={{ base: 'block', xl: 'none' }}>
              {state.me.name}
            </Text>
          </NavLink>
          <Button size="sm" variant="outline" color="ink" borderColor="edge" onClick={signOut}>
            Sign out
          </Button>
        </HStack>
      </Flex>
      <Box as="main" inert={state.hasEnded} p="5" maxW="90rem" mx="auto">
        {state.me.must_change ? <PasswordPage /> : <Outlet />}
      </Box>
    </Box>
  )
}
