import { nextFerry } from './timetable.js';

document.querySelector('#next').textContent = nextFerry(new Date());
