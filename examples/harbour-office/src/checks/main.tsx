import { createRoot } from 'react-dom/client';
import { App } from './App.tsx';
import '../../../look.css';
import './style.css';

createRoot(document.getElementById('app') as HTMLElement).render(<App />);
