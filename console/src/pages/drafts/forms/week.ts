// Open hours of a week as half hours of seven days, and back as the document writes them.
export const DAYS = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'];
export const SLOTS = 48;
export type Week = boolean[][];

function days(name: string): number[] {
  const [from, to] = name.split('-').map((day) => DAYS.indexOf(day));
  if (from === undefined || from < 0) return [];
  if (to === undefined) return [from];
  const found = [];
  for (let day = from; ; day = (day + 1) % 7) {
    found.push(day);
    if (day === to || found.length > 7) return found;
  }
}

/** The half hours that are open; null where the hours cannot be shown in half hours. */
export function readWeek(hours: Record<string, unknown>): Week | null {
  const week: Week = DAYS.map(() => new Array<boolean>(SLOTS).fill(false));
  for (const [name, windows] of Object.entries(hours)) {
    const found = days(name);
    if (!found.length || !Array.isArray(windows)) return null;
    for (const window of windows) {
      const read = /^(\d\d):(00|30)-(\d\d):(00|30)$/.exec(String(window));
      if (!read) return null;
      const start = Number(read[1]) * 2 + (read[2] === '30' ? 1 : 0);
      const end = Number(read[3]) * 2 + (read[4] === '30' ? 1 : 0);
      // A window whose end is not after its start runs past midnight.
      const length = end > start ? end - start : SLOTS - start + end;
      for (const day of found)
        for (let i = 0; i < length; i++) {
          const at = start + i;
          week[(day + Math.floor(at / SLOTS)) % 7]![at % SLOTS] = true;
        }
    }
  }
  return week;
}

const clock = (slot: number) => `${String(Math.floor(slot / 2)).padStart(2, '0')}:${slot % 2 ? '30' : '00'}`;

/** The windows of each day; days that are alike are written together. */
export function writeWeek(week: Week): Record<string, string[]> {
  const each = week.map((day) => {
    const windows: string[] = [];
    for (let slot = 0; slot < SLOTS; slot++) {
      if (!day[slot] || (slot && day[slot - 1])) continue;
      let end = slot;
      while (end < SLOTS && day[end]) end++;
      windows.push(`${clock(slot)}-${end === SLOTS ? '24:00' : clock(end)}`);
    }
    return windows;
  });
  const hours: Record<string, string[]> = {};
  for (let day = 0; day < 7; ) {
    let last = day;
    while (last < 6 && each[last + 1]!.join() === each[day]!.join()) last++;
    if (each[day]!.length) hours[last > day ? `${DAYS[day]}-${DAYS[last]}` : DAYS[day]!] = each[day]!;
    day = last + 1;
  }
  return hours;
}
