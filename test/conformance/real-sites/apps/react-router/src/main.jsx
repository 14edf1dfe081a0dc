import { createRoot } from 'react-dom/client';
import { BrowserRouter, Link, Route, Routes, useParams } from 'react-router';
import './app.css';

const Timetable = () => (
  <main>
    <h1>Timetable</h1>
    <p>The next boat leaves at 9:40.</p>
  </main>
);
function Pier() {
  const { name } = useParams();
  return <main><h1>Pier {name}</h1></main>;
}
function Settings() {
  const load = () => fetch('/api/settings').then((answer) => answer.json());
  return <main><h1>Settings</h1><button type="button" onClick={load}>Load</button></main>;
}
createRoot(document.getElementById('root')).render(
  <BrowserRouter>
    <nav className="tabs"><Link to="/">Timetable</Link><Link to="/piers/heron-point">Pier</Link><Link to="/settings">Settings</Link></nav>
    <Routes>
      <Route path="/" element={<Timetable />} />
      <Route path="/piers/:name" element={<Pier />} />
      <Route path="/settings" element={<Settings />} />
      <Route path="*" element={<h1>Not found</h1>} />
    </Routes>
  </BrowserRouter>,
);
