import { lazy, Suspense } from 'react'
import { Navigate, Route, Routes as Switch } from 'react-router'
import { Waiting } from './parts/Waiting'
import { RunPage } from './run/RunPage'
import PasswordPage from './session/PasswordPage'
import { useSession } from './session/SessionProvider'
import { Shell } from './shell/Shell'

const CertificatesPage = lazy(() => import('./certificates/CertificatesPage'))
const BenchPage = lazy(() => import('./bench/BenchPage'))
const CapturesPage = lazy(() => import('./captures/CapturesPage'))
const CapturePage = lazy(() => import('./captures/CapturePage'))
const LotsPage = lazy(() => import('./lots/LotsPage'))
const LotPage = lazy(() => import('./lots/LotPage'))
const PeoplePage = lazy(() => import('./people/PeoplePage'))
const ProductsPage = lazy(() => import('./products/ProductsPage'))
const ProductPage = lazy(() => import('./products/ProductPage'))
const LimitsPage = lazy(() => import('./limits/LimitsPage'))
const LimitSetPage = lazy(() => import('./limits/LimitSetPage'))
const SeriesListPage = lazy(() => import('./series/SeriesListPage'))
const SeriesPage = lazy(() => import('./series/SeriesPage'))
const SequencesPage = lazy(() => import('./sequences/SequencesPage'))
const SequencePage = lazy(() => import('./sequences/SequencePage'))
const StartPage = lazy(() => import('./start/StartPage'))
const TrendsPage = lazy(() => import('./trends/TrendsPage'))
const UnitsPage = lazy(() => import('./units/UnitsPage'))
const DatesPage = lazy(() => import('./units/DatesPage'))
const UnitPage = lazy(() => import('./units/UnitPage'))

/** Who tests begins with a load, quality with what came of them. */
function Home() {
  const { state } = useSession()
  const isQuality = state.at === 'in' && state.me.role === 'quality'
  return <Navigate to={isQuality ? '/start' : '/run'} replace />
}

export function Routes() {
  return (
    <Suspense fallback={<Waiting />}>
      <Switch>
        <Route element={<Shell />}>
          <Route path="/" element={<Home />} />
          <Route path="/start" element={<StartPage />} />
          <Route path="/run" element={<RunPage />} />
          <Route path="/run/:runId" element={<RunPage />} />
          <Route path="/bench" element={<BenchPage />} />
          <Route path="/certificates" element={<CertificatesPage />} />
          <Route path="/captures" element={<CapturesPage />} />
          <Route path="/captures/:id" element={<CapturePage />} />
          <Route path="/lots" element={<LotsPage />} />
          <Route path="/lots/:code" element={<LotPage />} />
          <Route path="/products" element={<ProductsPage />} />
          <Route path="/products/:code" element={<ProductPage />} />
          <Route path="/sequences" element={<SequencesPage />} />
          <Route path="/sequences/:code" element={<SequencePage />} />
          <Route path="/run/series" element={<SeriesListPage />} />
          <Route path="/run/series/:id" element={<SeriesPage />} />
          <Route path="/limits" element={<LimitsPage />} />
          <Route path="/limits/:code" element={<LimitSetPage />} />
          <Route path="/people" element={<PeoplePage />} />
          <Route path="/password" element={<PasswordPage />} />
          <Route path="/trends" element={<TrendsPage />} />
          <Route path="/units" element={<UnitsPage />} />
          <Route path="/units/:serial" element={<UnitPage />} />
          <Route path="/units/:serial/dates" element={<DatesPage />} />
          <Route path="*" element={<Navigate to="/run" replace />} />
        </Route>
      </Switch>
    </Suspense>
  )
}
