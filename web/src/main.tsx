import '@fontsource/barlow-condensed/500.css'
import '@fontsource/barlow-condensed/600.css'
import '@fontsource/source-sans-3/400.css'
import '@fontsource/source-sans-3/600.css'
import 'ol/ol.css'
import './styles.css'
import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { App as Ant, ConfigProvider } from 'antd'
import { createRoot } from 'react-dom/client'
import { BrowserRouter } from 'react-router-dom'
import { Shell } from './shell/Shell'

const queries = new QueryClient({
  defaultOptions: { queries: { retry: 1, staleTime: 5_000, refetchOnWindowFocus: true } },
})
const theme = {
  token: {
    colorPrimary: '#1d6b74',
    colorText: '#22303c',
    colorBgBase: '#fffdf8',
    borderRadius: 2,
    fontFamily: "'Source Sans 3', sans-serif",
    fontSize: 14,
    motion: false,
    colorError: '#93302b',
  },
}

createRoot(document.getElementById('root') as HTMLElement).render(
  <QueryClientProvider client={queries}>
    <ConfigProvider theme={theme}>
      <Ant style={{ height: '100%' }} message={{ top: 12 }}>
        <BrowserRouter>
          <Shell />
        </BrowserRouter>
      </Ant>
    </ConfigProvider>
  </QueryClientProvider>,
)
