/** One thing to narrow a search by; the empty choice takes all. */
export function Filter({ label, any, value, options, words, onChoose }: { label: string; any: string; value: string; options: string[]; words?: (value: string) => string; onChoose: (value: string) => void }) {
  return (
    <select
      aria-label={label}
      value={value}
      className={`h-6 w-[92px] rounded-sm border border-transparent bg-transparent text-small hover:border-joint ${value ? "border-ink font-medium" : "text-ink-2"}`}
      onChange={(event) => { onChoose(event.target.value); }}
    >
      <option value="">{any}</option>
      {options.map((option) => (
        <option key={option} value={option}>{words ? words(option) : option}</option>
      ))}
    </select>
  );
}
