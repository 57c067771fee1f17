import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { comeBack } from './api/signIn';
import { App } from './app/App';
import './index.css';

declare global {
  interface Window {
    __webpack_nonce__?: string;
  }
}

// Radix puts a style element into the page while a dialog is open; the page's
// policy lets it through by this nonce.
window.__webpack_nonce__ = document.querySelector<HTMLMetaElement>('meta[property=csp-nonce]')?.nonce;

const root = document.getElementById('root');
if (!root) throw new Error('the page has no element "root"');
const page = createRoot(root);
comeBack()
  .catch((error: Error) => error.message)
  .then((refused) =>
    page.render(
      <StrictMode>
        <App refused={refused} />
      </StrictMode>,
    ),
  );
