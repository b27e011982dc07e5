import { tick } from 'svelte';

/** After a refusal: bring the first field that is wrong into view and put the focus on it, else on the words of the refusal. */
export async function toProblem(form: HTMLElement | undefined) {
  await tick();
  const wrong = form?.querySelector<HTMLElement>('[aria-invalid="true"]') ?? form?.querySelector<HTMLElement>('[role="alert"]');
  if (!wrong) return;
  if (!wrong.matches('input, select, textarea, button')) wrong.tabIndex = -1;
  wrong.focus({ preventScroll: true });
  wrong.scrollIntoView?.({ block: 'center' });
}
