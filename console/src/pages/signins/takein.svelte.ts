// A log of another system on its way in: its beginning read again and again, until it is read right.
import { mappings } from '../../lib/api/mappings';
import type { ColumnRule, ImportResult, Job, LogMapping, MappingTrial } from '../../lib/api/types';
import { Act } from '../../lib/state/act.svelte';
import { follow } from '../../lib/state/job';
import { Load } from '../../lib/state/load.svelte';

// As much of a log's beginning is tried.
const BEGINNING = 1_000_000;

export class TakeIn {
  file = $state<File | null>(null);
  mapping = $state<LogMapping | null>(null);
  job = $state<Job | null>(null);
  readonly trial = new Load<MappingTrial>();
  readonly acting = new Act();
  private text = '';
  private gone = false;

  readonly format = $derived(/\.csv(\.gz)?$/i.test(this.file?.name ?? '') ? 'csv' : 'ndjson');
  readonly result = $derived(this.job?.result as ImportResult | undefined);

  async choose(file: File): Promise<void> {
    this.file = file;
    this.mapping = this.job = null;
    this.trial.value = null;
    this.text = await beginning(file);
    await this.try();
  }

  /** Reads it by the mapping as it is, or as names and values suggest before there is one. */
  async try(): Promise<void> {
    await this.trial.run((signal) => mappings.try(this.text, this.format, this.mapping ? $state.snapshot(this.mapping) : null, signal));
    if (this.trial.value && !this.mapping) this.mapping = this.trial.value.mapping;
  }

  change(change: Partial<LogMapping>): void {
    if (!this.mapping) return;
    this.mapping = { ...this.mapping, ...change };
    void this.try();
  }

  column(name: string, change: Partial<ColumnRule>): void {
    const columns = { ...this.mapping?.columns };
    const rule = { to: '', ...columns[name], ...change };
    if (rule.to) columns[name] = rule;
    else delete columns[name];
    this.change({ columns });
  }

  /** Passes over the rows in which a column is one of some words, set apart by commas. */
  skip(name: string, text: string): void {
    const skip = { ...this.mapping?.skip };
    const words = text.split(',').map((word) => word.trim()).filter(Boolean);
    if (words.length) skip[name] = words;
    else delete skip[name];
    this.change({ skip });
  }

  async takeIn(name: string): Promise<void> {
    const { file, mapping } = this;
    if (!file || !mapping) return;
    await this.acting.run(async () => {
      await mappings.keep(name, $state.snapshot(mapping));
      await follow(await mappings.takeIn(file, this.format, name), (job) => (this.job = job), () => !this.gone);
    });
  }

  leave(): void {
    this.gone = true;
  }
}

/** The whole lines at the beginning of a file, which may be compressed. */
async function beginning(file: File): Promise<string> {
  if (!file.name.endsWith('.gz')) return whole(await file.slice(0, BEGINNING).text(), file.size > BEGINNING);
  const reader = file.stream().pipeThrough(new DecompressionStream('gzip')).pipeThrough(new TextDecoderStream()).getReader();
  let text = '';
  for (;;) {
    const { done, value } = await reader.read();
    if (done) return text;
    text += value;
    if (text.length > BEGINNING) {
      void reader.cancel();
      return whole(text, true);
    }
  }
}

const whole = (text: string, cut: boolean) => (cut ? text.slice(0, text.lastIndexOf('\n') + 1) || text : text);

/** Words as they are typed, `there = here` a line, and back. */
export const wordsOf = (text: string): Record<string, string> =>
  Object.fromEntries(
    text
      .split('\n')
      .filter((line) => line.includes('='))
      .map((line) => {
        const at = line.lastIndexOf('=');
        return [line.slice(0, at).trim(), line.slice(at + 1).trim()];
      }),
  );
export const textOf = (words: Record<string, string> | undefined): string =>
  Object.entries(words ?? {})
    .map(([there, here]) => `${there} = ${here}`)
    .join('\n');
