// A weekday and a time in a zone, as a moment with its offset (RFC 3339).

export const DAYS = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];
const DAY = 86_400_000;

/** How far a zone is ahead of UTC at an instant, in minutes. */
export function offset(zone: string, instant: number): number {
  const parts = new Intl.DateTimeFormat('en', { timeZone: zone, timeZoneName: 'longOffset' }).formatToParts(instant);
  const name = parts.find((part) => part.type === 'timeZoneName')?.value ?? '';
  const found = /^(?:GMT|UTC)([+-])(\d\d):(\d\d)$/.exec(name);
  return found ? (found[1] === '-' ? -1 : 1) * (Number(found[2]) * 60 + Number(found[3])) : 0;
}

/** The next such weekday (0 is Monday) after an instant at a time such as `03:00`, as clocks in the zone show it. */
export function next(day: number, time: string, zone: string, now: number): string {
  const [hours = 0, minutes = 0] = time.split(':').map(Number);
  const local = new Date(now + offset(zone, now) * 60_000);
  const midnight = Date.UTC(local.getUTCFullYear(), local.getUTCMonth(), local.getUTCDate());
  const ahead = (day - ((local.getUTCDay() + 6) % 7) + 7) % 7;
  let clock = midnight + ahead * DAY + (hours * 60 + minutes) * 60_000;
  if (clock <= local.getTime()) clock += 7 * DAY;
  // The offset is that of the moment itself, which is known only once it is: near a change of clocks the second look counts.
  let ahead_of_utc = offset(zone, clock - offset(zone, clock) * 60_000);
  ahead_of_utc = offset(zone, clock - ahead_of_utc * 60_000);
  return `${new Date(clock).toISOString().slice(0, 19)}${shown(ahead_of_utc)}`;
}

/** The weekday (0 is Monday) and the time of a moment as clocks in a zone show them; empty of what is no moment. */
export function shownIn(zone: string, moment: string): { day: string; time: string } {
  const instant = Date.parse(moment);
  if (Number.isNaN(instant)) return { day: '', time: '' };
  const local = new Date(instant + offset(zone, instant) * 60_000);
  return { day: String((local.getUTCDay() + 6) % 7), time: local.toISOString().slice(11, 16) };
}

function shown(minutes: number): string {
  if (!minutes) return 'Z';
  const [hours, rest] = [Math.floor(Math.abs(minutes) / 60), Math.abs(minutes) % 60];
  return `${minutes < 0 ? '-' : '+'}${String(hours).padStart(2, '0')}:${String(rest).padStart(2, '0')}`;
}
