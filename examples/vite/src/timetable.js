/** Minutes past the hour at which ferries leave. */
const DEPARTURES = [10, 40];

/** @param {Date} now */
export function nextFerry(now) {
  const minute = now.getMinutes();
  const next = DEPARTURES.find((one) => one > minute) ?? DEPARTURES[0] + 60;
  return `leaves in ${next - minute} minutes`;
}
