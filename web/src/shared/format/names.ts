const RIGHT_TO_LEFT = /[\p{Script=Hebrew}\p{Script=Arabic}\p{Script=Syriac}\p{Script=Thaana}\p{Script=Nko}]/u;

/** A name that turns nothing beside it around, when it is written from right to left; others as they are. */
export const isolated = (name: string) => (RIGHT_TO_LEFT.test(name) ? `\u2068${name}\u2069` : name);
