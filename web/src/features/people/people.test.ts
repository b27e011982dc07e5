import { fireEvent, render, screen, waitFor } from '@testing-library/svelte';
import { afterEach, describe, expect, it, vi } from 'vitest';
import { serve } from '../../test-server';
import PersonForm from './PersonForm.svelte';

afterEach(() => localStorage.clear());

describe('a new person', () => {
  it('stands in its form again until it is added or cancelled', async () => {
    const made = { password: 'p', person: {} };
    serve({ 'POST /api/people': made });
    const props = { roles: [{ value: 'pilot', label: 'pilot' }], onadded: vi.fn(), oncancel: vi.fn() };
    const first = render(PersonForm, props);
    await fireEvent.input(screen.getByLabelText('Signs in as'), { target: { value: 'runa' } });
    first.unmount();
    const second = render(PersonForm, props);
    expect(screen.getByLabelText('Signs in as')).toHaveValue('runa');
    await fireEvent.click(screen.getByRole('button', { name: 'Add' }));
    await waitFor(() => expect(props.onadded).toHaveBeenCalledWith(made));
    second.unmount();
    render(PersonForm, props);
    expect(screen.getByLabelText('Signs in as')).toHaveValue('');
    await fireEvent.click(screen.getByRole('button', { name: 'Cancel' }));
    expect(props.oncancel).toHaveBeenCalled();
  });
});
