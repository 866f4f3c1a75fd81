// Countries by name, as the browser knows them; the service checks the codes (ISO 3166-1).
const names = new Intl.DisplayNames(['en'], { type: 'region', fallback: 'none' });
const LETTERS = [...'ABCDEFGHIJKLMNOPQRSTUVWXYZ'];
// Regions that are no countries, and codes that stand for another.
const OTHERS = new Set(['EU', 'EZ', 'UN', 'ZZ', 'QO', 'XA', 'XB', 'AC', 'CP', 'CQ', 'DG', 'EA', 'IC', 'TA', 'UK', 'SU', 'AN', 'BU', 'CS', 'DD', 'DY', 'FX', 'HV', 'NH', 'NT', 'RH', 'TP', 'VD', 'YD', 'YU', 'ZR']);

export function countryName(code: string): string {
  try {
    return names.of(code.toUpperCase()) ?? code;
  } catch {
    return code;
  }
}

export const COUNTRIES: [string, string][] = LETTERS.flatMap((a) => LETTERS.map((b) => a + b))
  .filter((code) => !OTHERS.has(code) && names.of(code) !== undefined)
  .map((code): [string, string] => [code, countryName(code)])
  .sort((a, b) => a[1].localeCompare(b[1]));
