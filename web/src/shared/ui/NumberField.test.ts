import { render, screen } from '@testing-library/svelte';
import { fireEvent } from '@testing-library/svelte';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { session } from '$shared/session.svelte';
import NumberField from './NumberField.svelte';

const me = { signed_in: true, units: 'metric', rights: [] as string[] };

async function type(text: string) {
  const field = screen.getByLabelText('Height');
  await fireEvent.input(field, { target: { value: text } });
  await fireEvent.blur(field);
  return field as HTMLInputElement;
}

describe('a field for a number', () => {
  beforeEach(() => {
    session.me = me as never;
  });

  it.each([
    ['52,5', 52.5],
    [' 80 ', 80],
    ['−3', -3],
    ['1e2', 100],
  ])('takes %s as a person types it', async (text, want) => {
    const onchange = vi.fn();
    render(NumberField, { label: 'Height', value: 50, quantity: 'm', onchange });
    await type(text);
    expect(onchange).toHaveBeenCalledWith(want);
  });

  it('says so when it is no number, keeps what was typed and changes nothing', async () => {
    const onchange = vi.fn();
    render(NumberField, { label: 'Height', value: 50, quantity: 'm', onchange });
    const field = await type('fifty');
    expect(screen.getByRole('alert')).toHaveTextContent('This is not a number.');
    expect(field).toHaveValue('fifty');
    expect(field).toHaveAttribute('aria-invalid', 'true');
    expect(onchange).not.toHaveBeenCalled();
  });

  it('goes back to the value when emptied or on escape', async () => {
    const onchange = vi.fn();
    render(NumberField, { label: 'Height', value: 50, quantity: 'm', onchange });
    expect(await type('')).toHaveValue('50');
    const field = screen.getByLabelText('Height');
    await fireEvent.input(field, { target: { value: '77' } });
    await fireEvent.keyDown(field, { key: 'Escape' });
    expect(field).toHaveValue('50');
    expect(onchange).not.toHaveBeenCalled();
  });

  it('speaks imperial outside and metric inside', async () => {
    session.me = { ...me, units: 'imperial' } as never;
    const onchange = vi.fn();
    render(NumberField, { label: 'Height', value: 30.48, quantity: 'm', onchange });
    expect(screen.getByLabelText('Height')).toHaveValue('100');
    expect(screen.getByText('ft')).toBeInTheDocument();
    await type('200');
    expect(onchange.mock.calls[0]![0]).toBeCloseTo(60.96, 4);
  });

  it('shows shares as percent and the problem of the server at the field', async () => {
    const onchange = vi.fn();
    render(NumberField, { label: 'Height', value: 0.7, scale: 100, unit: '%', onchange, problem: 'Too high.' });
    expect(screen.getByLabelText('Height')).toHaveValue('70');
    expect(screen.getByRole('alert')).toHaveTextContent('Too high.');
    await type('75');
    expect(onchange.mock.calls[0]![0]).toBeCloseTo(0.75, 9);
  });
});
