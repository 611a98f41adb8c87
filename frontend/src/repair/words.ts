export const decibels = (value: number): string => value.toFixed(1).replace("-", "−");
