import '@fontsource/barlow-condensed/500.css'
import '@fontsource/barlow-condensed/600.css'
import '@fontsource/source-sans-3/400.css'
import '@fontsource/source-sans-3/600.css'
import 'ol/ol.css'
import './styles.css'
import { QueryCache, QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { App as Ant, ConfigProvider, theme as antd } from 'antd'
import { type ReactNode, useMemo } from 'react'
import { createRoot } from 'react-dom/client'
import { BrowserRouter } from 'react-router-dom'
import { ApiError } from './api/client'
import { onEnded } from './field/uploads'
import { isRefused } from './lib/hooks'
import { PALETTES, show } from './lib/palette'
import { useTheme } from './lib/settings'
import { keepOnDevice } from './offline/register'
import { Boundary } from './shell/Boundary'
import { Shell } from './shell/Shell'

const queries: QueryClient = new QueryClient({
  queryCache: new QueryCache({
    // whoever is no longer signed in is asked to sign in; what was typed is kept
    onError: (e) => {
      if (e instanceof ApiError && e.status === 401) queries.setQueryData(['me'], null)
    },
  }),
  defaultOptions: {
    // without a network the service worker answers with what this device kept
    mutations: { networkMode: 'always' },
    queries: {
      networkMode: 'always',
      retry: (n, e) => !isRefused(e) && n < 1,
      staleTime: 5_000,
      refetchOnWindowFocus: true,
    },
  },
})
onEnded((job) => void queries.invalidateQueries({ queryKey: ['job', job] }))

function Themed({ children }: { children: ReactNode }) {
  const theme = useTheme()
  const config = useMemo(() => {
    show(theme)
    const p = PALETTES[theme]
    return {
      algorithm: theme === 'dark' ? antd.darkAlgorithm : antd.defaultAlgorithm,
      token: {
        colorPrimary: p.accent,
        colorText: p.ink,
        colorTextPlaceholder: p.faint,
        colorBgBase: p.sheet,
        colorBgContainer: p.sheet,
        colorBgElevated: p.sheet,
        colorBgLayout: p.paper,
        colorFillTertiary: p.wash,
        colorBorder: p.edge,
        colorError: p.red,
        colorTextLightSolid: p['on-fill'],
        borderRadius: 2,
        fontFamily: "'Source Sans 3', sans-serif",
        fontSize: 14,
        motion: false,
      },
      components: {
        Button: { primaryColor: p['on-fill'] },
        Segmented: { trackBg: p.wash, itemSelectedBg: p.pick, itemColor: p.ink },
      },
    }
  }, [theme])
  return <ConfigProvider theme={config}>{children}</ConfigProvider>
}

keepOnDevice()
createRoot(document.getElementById('root') as HTMLElement).render(
  <QueryClientProvider client={queries}>
    <Themed>
      <Ant style={{ height: '100%' }} message={{ top: 12 }}>
        <BrowserRouter>
          <Boundary about="page">
            <Shell />
          </Boundary>
        </BrowserRouter>
      </Ant>
    </Themed>
  </QueryClientProvider>,
)
