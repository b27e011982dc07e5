/** Minutes of packs over the months of the year: years laid over one another, flights counting alike. */
import type { Schemas } from '$shared/api/client';

export interface MonthOfYear {
  month: number;
  minutes: number;
  flights: number;
  air_c: number | null;
}

/** By model of pack its months from January on, of all years together. */
export function overTheYear(months: Schemas['MonthOfPack'][]): Map<string, MonthOfYear[]> {
  const found = new Map<string, Map<number, Schemas['MonthOfPack'][]>>();
  for (const m of months) {
    const mine = found.get(m.model) ?? new Map<number, Schemas['MonthOfPack'][]>();
    const month = Number(m.month.slice(5, 7));
    mine.set(month, [...(mine.get(month) ?? []), m]);
    found.set(m.model, mine);
  }
  const mean = (of: Schemas['MonthOfPack'][], value: (m: Schemas['MonthOfPack']) => number) =>
    of.reduce((sum, m) => sum + value(m) * m.flights, 0) / of.reduce((sum, m) => sum + m.flights, 0);
  return new Map(
    [...found].map(([model, mine]) => [
      model,
      [...mine]
        .sort(([a], [b]) => a - b)
        .map(([month, of]) => {
          const aired = of.filter((m) => m.air_c !== null);
          return {
            month,
            minutes: mean(of, (m) => m.minutes),
            flights: of.reduce((sum, m) => sum + m.flights, 0),
            air_c: aired.length ? mean(aired, (m) => m.air_c!) : null,
          };
        }),
    ]),
  );
}
