// `j` and `k` through the rows of a list, Enter to open one; Escape leaves a search box.
export function rows(node: HTMLElement): () => void {
  function key(event: KeyboardEvent): void {
    const typing = event.target instanceof Element && event.target.closest('input, select, textarea, [role=dialog]');
    if (typing || event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key !== 'j' && event.key !== 'k') return;
    const links = [...node.querySelectorAll<HTMLElement>('[data-row]')];
    if (!links.length) return;
    const at = links.indexOf(document.activeElement as HTMLElement);
    const next = event.key === 'j' ? Math.min(at + 1, links.length - 1) : Math.max(at - 1, 0);
    event.preventDefault();
    links[next]?.focus();
    links[next]?.scrollIntoView({ block: 'nearest' });
  }
  window.addEventListener('keydown', key);
  return () => window.removeEventListener('keydown', key);
}
