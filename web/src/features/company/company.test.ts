import { fireEvent, render, screen, waitFor } from '@testing-library/svelte';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { session } from '$shared/session.svelte';
import { notices } from '$shared/ui/notices.svelte';
import { serve } from '../../test-server';
import CompanyScreen from './CompanyScreen.svelte';

const COMPANY = { name: 'Crew', time_zone: 'Europe/Oslo', currency: 'CHF', dates: 'day', map_address: '', map_credit: '' };
const ME = { id: 1, signed_in: true, units: 'metric', rights: ['company:write'], organisation: 'Crew', map_address: '' };

beforeEach(() => (session.me = ME as never));
afterEach(() => {
  localStorage.clear();
  notices.list = [];
});

describe('the company', () => {
  it('keeps what was typed and not saved; what is saved begins anew', async () => {
    const seen = serve({ 'GET /api/company': COMPANY, 'PATCH /api/company': { ...COMPANY, name: 'North' }, 'GET /api/me': ME });
    const first = render(CompanyScreen);
    await fireEvent.input(await screen.findByLabelText('Name'), { target: { value: 'North' } });
    first.unmount();
    const second = render(CompanyScreen);
    expect(await screen.findByLabelText('Name')).toHaveValue('North');
    expect(screen.getByText(/was not saved/)).toBeInTheDocument();
    await fireEvent.click(screen.getByText('Save company'));
    await waitFor(() => expect(screen.queryByText(/was not saved/)).not.toBeInTheDocument());
    expect(seen.find((a) => a.method === 'PATCH')!.body).toMatchObject({ name: 'North', currency: 'CHF' });
    second.unmount();
    render(CompanyScreen);
    expect(await screen.findByLabelText('Name')).toHaveValue('Crew');
  });
});
