import '@fontsource-variable/figtree';
import '@fontsource-variable/fraunces';
import '@fontsource/charis-sil/400.css';
import '@mantine/core/styles.css';
import '@mantine/dropzone/styles.css';
import '@mantine/notifications/styles.css';
import '@mantine/spotlight/styles.css';
import './theme/tokens.css';
import './theme/base.css';
import { MantineProvider } from '@mantine/core';
import { Notifications } from '@mantine/notifications';
import { QueryClientProvider } from '@tanstack/react-query';
import { createRoot } from 'react-dom/client';
import { App } from './App';
import { queries } from './api/client';
import { theme } from './theme/theme';

const root = document.getElementById('root');
if (root) {
  createRoot(root).render(
    <MantineProvider theme={theme} defaultColorScheme="auto">
      <QueryClientProvider client={queries}>
        {/* Where they lie over nothing that is pressed: beside the list of lines stands what is chosen. */}
        <Notifications position="bottom-right" autoClose={9000} containerWidth={284} />
        <App />
      </QueryClientProvider>
    </MantineProvider>,
  );
}
