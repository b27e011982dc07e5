import { flushSync } from 'svelte';
import { beforeEach, describe, expect, it } from 'vitest';
import { session } from '../session.svelte';
import { formDraft, type FormDraft } from './form-draft.svelte';

/** A form as a component holds one: opened, typed into, closed. */
function open(name = 'test') {
  const form = $state({ volts: ['', ''], note: '' });
  let draft!: FormDraft;
  const close = $effect.root(() => {
    draft = formDraft(
      name,
      () => $state.snapshot(form),
      (typed) => Object.assign(form, typed),
    );
  });
  flushSync();
  const type = (volts: string[], note = '') => {
    Object.assign(form, { volts, note });
    flushSync();
  };
  return { form, type, close, draft };
}

describe('what is typed into a form', () => {
  beforeEach(() => localStorage.clear());

  it('stands there again when the form is opened anew, until the server has it', () => {
    const first = open();
    expect(first.draft.back).toBe(false);
    first.type(['387', ''], 'cold');
    first.close();
    const second = open();
    expect(second.draft.back).toBe(true);
    expect(second.form).toEqual({ volts: ['387', ''], note: 'cold' });
    second.draft.forget();
    second.type(['387', '385']);
    second.close();
    expect(open().form.volts).toEqual(['', '']);
  });

  it('can be left for a form that begins anew', () => {
    const first = open();
    first.type(['1', '2']);
    first.close();
    const second = open();
    second.draft.anew();
    flushSync();
    expect(second.form.volts).toEqual(['', '']);
    expect(second.draft.back).toBe(false);
    expect(localStorage).toHaveLength(0);
  });

  it('is never shown to another person, nor in another form', () => {
    const first = open();
    first.type(['1', '2']);
    first.close();
    expect(open('other').draft.back).toBe(false);
    const me = session.me;
    session.me = { ...me, id: 77 } as typeof session.me;
    expect(open().draft.back).toBe(false);
    session.me = me;
    expect(open().draft.back).toBe(true);
  });

  it('that nobody can read is left out', () => {
    localStorage.setItem(`gentle-quarry-form/${session.me?.id ?? 0}/test`, '{broken');
    expect(open().form.volts).toEqual(['', '']);
  });
});
