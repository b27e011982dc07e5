/** A longitude in the turn around another: the same place, at most half a turn away. */
export const turned = (lon: number, around: number): number => around + ((((lon - around + 540) % 360) + 360) % 360) - 180;
