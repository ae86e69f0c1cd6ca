// What a field with a list offers for what was typed so far.
export type Option = {
  value: string; // what is written into the field
  hint?: string; // said beside it
  note?: string; // said beneath it
  words?: string[]; // other words by which people look for it
};

// rank says how well an option fits: by the start of its value before its middle, then by its hint, last by its other words. It is
// below 0 when it does not fit.
function rank(option: Option, wanted: string): number {
  const value = option.value.toLowerCase();
  if (value === wanted) return 0;
  if (value.startsWith(wanted)) return 1;
  if (value.includes("/" + wanted)) return 2;
  if (value.includes(wanted)) return 3;
  if (option.hint?.toLowerCase().includes(wanted)) return 4;
  if (option.words?.some((word) => word.startsWith(wanted))) return 5;
  if (option.note?.toLowerCase().includes(wanted)) return 6;
  return -1;
}

// fitting lists the options that fit, the best first, else in their own order. Everything fits nothing typed.
export function fitting(options: Option[], typed: string): Option[] {
  const wanted = typed.trim().toLowerCase();
  if (!wanted) return options;
  return options
    .map((option, i) => ({ option, i, by: rank(option, wanted) }))
    .filter((ranked) => ranked.by >= 0)
    .sort((a, b) => a.by - b.by || a.i - b.i)
    .map((ranked) => ranked.option);
}

// settled reports whether what was typed is one of the options and no other goes on from it: nothing is left to choose.
export function settled(options: Option[], typed: string): boolean {
  return options.some((option) => option.value === typed) && !options.some((option) => option.value !== typed && option.value.startsWith(typed));
}
