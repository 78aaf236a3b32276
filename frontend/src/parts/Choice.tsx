import * as ToggleGroup from "@radix-ui/react-toggle-group";

interface Props<T extends string> {
  label: string;
  value: T;
  options: readonly (readonly [value: T, words: string])[];
  onChoose: (value: T) => void;
  className?: string;
}

/** One of a few: all are seen, one is chosen. */
export function Choice<T extends string>({ label, value, options, onChoose, className = "" }: Props<T>) {
  return (
    <ToggleGroup.Root
      type="single"
      aria-label={label}
      value={value}
      onValueChange={(next) => {
        const chosen = options.find(([candidate]) => candidate === next);
        if (chosen) onChoose(chosen[0]);
      }}
      className={`inline-flex rounded-sm border border-joint bg-lime ${className}`}
    >
      {options.map(([option, words]) => (
        <ToggleGroup.Item
          key={option}
          value={option}
          className="h-[19px] border-l border-mortar px-2 text-small whitespace-nowrap first:border-l-0 hover:bg-verdigris-wash data-[state=on]:bg-ink data-[state=on]:text-lime"
        >
          {words}
        </ToggleGroup.Item>
      ))}
    </ToggleGroup.Root>
  );
}
