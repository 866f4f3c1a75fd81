// Light or dark: as the system says until somebody chooses.
type Choice = 'system' | 'light' | 'dark';
const KEY = 'caddrel.theme';
const ORDER: Choice[] = ['system', 'light', 'dark'];

function stored(): Choice {
  const found = localStorage.getItem(KEY);
  return found === 'light' || found === 'dark' ? found : 'system';
}

class Theme {
  choice = $state<Choice>(stored());
  private system = matchMedia('(prefers-color-scheme: dark)');

  constructor() {
    this.system.addEventListener('change', () => this.apply());
  }

  apply(): void {
    const dark = this.choice === 'dark' || (this.choice === 'system' && this.system.matches);
    document.documentElement.dataset.theme = dark ? 'dark' : 'light';
  }

  next(): void {
    this.choice = ORDER[(ORDER.indexOf(this.choice) + 1) % ORDER.length] ?? 'system';
    localStorage.setItem(KEY, this.choice);
    this.apply();
  }
}

export const theme = new Theme();
