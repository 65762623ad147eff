import { createRoot } from 'react-dom/client';
import { App } from './App.tsx';
import { load } from './record/load.ts';
import { Store } from './record/store.ts';
import './style/base.css';
import './style/bar.css';
import './style/overview.css';
import './style/lattice.css';
import './style/tests.css';
import './style/case.css';
import './style/matrix.css';
import './style/time.css';
import './style/keys.css';
import './style/print.css';

const served = document.getElementById('record') === null;
const store = new Store();
load(store);
createRoot(document.getElementById('page') as HTMLElement).render(<App store={store} served={served} />);
