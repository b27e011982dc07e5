const KEY = 'quarry.setup.skipped';

/** The steps of setting a company up that this device has skipped. */
export const skipped = {
  read(company: string): string[] {
    try {
      const found: unknown = JSON.parse(localStorage.getItem(`${KEY}.${company}`) ?? '[]');
      return Array.isArray(found) ? found.filter((x): x is string => typeof x === 'string') : [];
    } catch {
      return [];
    }
  },
  write(company: string, keys: string[]) {
    localStorage.setItem(`${KEY}.${company}`, JSON.stringify(keys));
  },
};
