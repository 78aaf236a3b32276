import { pictureUrl } from "@/api/client";

/** A small picture of a stage, on neutral ground. */
export function Swatch({
  contentKey,
  alt,
  size = 40,
  longest = 96,
  className = "",
}: {
  contentKey: string | null | undefined;
  alt: string;
  size?: number;
  longest?: number;
  className?: string;
}) {
  if (!contentKey) {
    return <span className={`block shrink-0 bg-mortar/60 ${className}`} style={{ width: size, height: size }} />;
  }
  return (
    <img
      src={pictureUrl(contentKey, longest)}
      alt={alt}
      width={size}
      height={size}
      loading="lazy"
      draggable={false}
      className={`checks block shrink-0 object-cover ${className}`}
      style={{ width: size, height: size }}
    />
  );
}
