import { call } from './api/call';
import { all } from './resource.svelte';

const MOST = 500;

/** Every job that is not archived, by name: for a choice among them. */
export const allJobs = () =>
  all((cursor) => call('GET', '/api/jobs', { params: { query: { sort: 'name', cursor, size: MOST } } }));

/** Every day that is not archived, latest first: for a choice among them. */
export const allDays = () => all((cursor) => call('GET', '/api/days', { params: { query: { cursor, size: MOST } } }));
