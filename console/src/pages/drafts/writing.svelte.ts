// One draft while it is being written: what was saved, what can be undone, what checking finds, and what differs.
import { api, Failure } from '../../lib/api/client';
import type { CheckResult, Comparison, Diagnostic, ObjectSaved, Problem, WholeDraft } from '../../lib/api/types';
import { Load } from '../../lib/state/load.svelte';

/** An object before and after a change; without text where it is not there. */
interface Step {
  from: { path: string; text: string | null };
  to: { path: string; text: string | null };
}

const LOOK_AFTER = 400;
const TOGETHER = 2000;
let last: Writing | undefined;

export class Writing {
  whole = $state<WholeDraft | null>(null);
  problem = $state<Problem | null>(null);
  refused = $state<Problem | null>(null);
  saving = $state(false);
  done = $state<Step[]>([]);
  undone = $state<Step[]>([]);
  /** Another one whenever an object was changed by something else than its own editor. */
  turns = $state(0);
  /** The titles of objects that are not written yet, by path: their ids follow from them. */
  readonly begun = new Map<string, string>();
  readonly check = new Load<CheckResult>();
  readonly differences = new Load<Comparison>();
  private timer: ReturnType<typeof setTimeout> | undefined;
  private last = 0;
  private before: Promise<unknown> = Promise.resolve();

  private constructor(readonly name: string) {}

  /** The one that was written last goes on, with what can be undone; it is read anew. */
  static of(name: string): Writing {
    if (last?.name !== name) last = new Writing(name);
    void last.read();
    return last;
  }

  /** Read it anew; what is being typed stays where it is. */
  read(): Promise<void> {
    return this.alone(async () => {
      this.problem = this.refused = null;
      try {
        this.whole = await api.draft(this.name);
        this.look();
      } catch (error) {
        if (!(error instanceof Failure)) throw error;
        this.problem = error.problem;
      }
    });
  }

  /** One after the other: an editor on its way out still saves while the next one is read. */
  private alone<T>(work: () => Promise<T>): Promise<T> {
    const mine = this.before.then(work);
    this.before = mine.catch(() => undefined);
    return mine;
  }

  /** Look anew at what checking finds and what differs, once nothing more is typed for a moment. */
  look(): void {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => {
      void this.check.run((signal) => api.checkDraft(this.name, signal)).then(() => {
        // What differs can be told only of what can be read.
        if (this.check.value?.ok) void this.differences.run((signal) => api.compare({}, { draft: this.name }, signal));
      });
    }, LOOK_AFTER);
  }

  text(path: string): string {
    return this.whole?.objects.find((each) => each.path === path)?.text ?? '';
  }

  ids(section: string): string[] {
    const start = `${section}.`;
    return (this.whole?.objects ?? []).filter((each) => each.text && each.path.startsWith(start)).map((each) => each.path.slice(start.length));
  }

  /** Put an object as text, or with null take it out; null when it was not saved. What was typed stays where it is then. */
  put(path: string, text: string | null): Promise<ObjectSaved | null> {
    return this.save(path, (version) => api.putObject(this.name, version, path, text));
  }

  /** Put an object as plain values; another id renames it. */
  putValue(path: string, value: unknown, id = ''): Promise<ObjectSaved | null> {
    return this.save(path, (version) => api.putValue(this.name, version, path, value, id));
  }

  /** Add a policy from a pattern, by the pattern's title where none is given; parts that it needs come along. */
  async fromPattern(id: string, title: string, pattern: string, blanks: Record<string, string>): Promise<boolean> {
    const saved = await this.save(`policies.${id}`, (version) => api.addFromPattern(this.name, version, { id, pattern, blanks, title }));
    if (!saved) return false;
    await this.read();
    this.turns++;
    return true;
  }

  /** Have a finding stand; gives whether it was saved. */
  async accept(found: Diagnostic, because: string, until: string): Promise<boolean> {
    // What stands for an object as a whole goes on standing when its rules move.
    const object = (found.path ?? '').split(/[.[]/).slice(0, 2).join('.');
    const saved = await this.save('accepted', (version) => api.acceptFinding(this.name, version, { code: found.code, object, because, until }));
    return saved !== null;
  }

  private save(path: string, ask: (version: number) => Promise<ObjectSaved>, remember = true): Promise<ObjectSaved | null> {
    this.saving = true;
    return this.alone(() => this.saveNow(path, ask, remember));
  }

  private async saveNow(path: string, ask: (version: number) => Promise<ObjectSaved>, remember: boolean): Promise<ObjectSaved | null> {
    if (!this.whole) return null;
    this.saving = true;
    const from = { path, text: this.text(path) || null };
    try {
      const saved = await ask(this.whole.info.version);
      this.refused = null;
      this.keep(path, saved);
      if (remember && saved.text !== from.text) this.remember({ from, to: { path: saved.path, text: saved.text } });
      this.look();
      return saved;
    } catch (error) {
      if (!(error instanceof Failure)) throw error;
      this.refused = error.problem;
      return null;
    } finally {
      this.saving = false;
    }
  }

  private remember(step: Step): void {
    const now = Date.now();
    const before = this.done.at(-1);
    // What is typed in one go is undone in one go.
    if (before && now - this.last < TOGETHER && before.to.path === step.from.path && before.to.text === step.from.text && before.from.text !== null)
      this.done[this.done.length - 1] = { from: before.from, to: step.to };
    else this.done.push(step);
    this.last = now;
    this.undone = [];
  }

  private keep(path: string, saved: ObjectSaved): void {
    if (!this.whole) return;
    const there = this.whole.objects.find((each) => each.path === path);
    const before = this.whole.objects.find((each) => each.path === saved.path)?.before ?? '';
    const kept = { path: saved.path, text: saved.text ?? '', changed: (saved.text ?? '') !== before, before };
    let objects = this.whole.objects.flatMap((each) => (each === there ? (kept.text || kept.before ? [kept] : []) : [each]));
    if (there?.before && saved.path !== path) objects = [...objects, { ...there, text: '', changed: true }];
    if (!there) objects = [...objects.filter((each) => each.path !== saved.path), kept];
    this.whole = { ...this.whole, info: saved.info, objects };
  }

  /** Take back the last change, or do it again; the path of the object that it was about. */
  async step(back: boolean): Promise<string | null> {
    const step = (back ? this.done : this.undone).at(-1);
    if (!step) return null;
    const [old, now] = back ? [step.to, step.from] : [step.from, step.to];
    const path = old.text === null ? now.path : old.path;
    const saved = await this.save(path, (version) => api.putObject(this.name, version, path, now.text), false);
    if (!saved) return null;
    (back ? this.done : this.undone).pop();
    (back ? this.undone : this.done).push(step);
    this.turns++;
    return now.text === null ? '' : now.path;
  }

  async attempt(ask: () => Promise<unknown>): Promise<boolean> {
    this.refused = null;
    try {
      await ask();
      return true;
    } catch (error) {
      if (!(error instanceof Failure)) throw error;
      this.refused = error.problem;
      return false;
    }
  }
}
