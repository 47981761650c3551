import './page.css'
import { createRoot } from 'react-dom/client'
import { HiveVisit } from './HiveVisit.tsx'

const root = document.getElementById('root')
if (root) createRoot(root).render(<HiveVisit />)
