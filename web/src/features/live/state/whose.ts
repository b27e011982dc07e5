import type { Whose } from '../words/calls';

const KEY = 'quarry.calls';

/** Whose calls somebody sees on this device: what was chosen last, else what the role does. */
export const whose = {
  of(me: { id?: number | string | null; role?: string | null }): Whose {
    const kept = localStorage.getItem(`${KEY}.${me.id}`);
    if (kept === 'all' || kept === 'pilot' || kept === 'handler') return kept;
    return me.role === 'pilot' || me.role === 'handler' ? me.role : 'all';
  },
  keep(me: { id?: number | string | null }, chosen: Whose) {
    localStorage.setItem(`${KEY}.${me.id}`, chosen);
  },
};
