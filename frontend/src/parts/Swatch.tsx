import { useEffect, useState } from "react";
import { pictureUrl } from "@/api/client";
import { takeSlot } from "@/api/slots";

/** A small picture of a stage, on neutral ground; the last one stays until the next is there. */
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
  const [shown, setShown] = useState<string | null>(null);
  const wanted = contentKey ? pictureUrl(contentKey, longest) : null;
  useEffect(() => {
    if (!wanted) return;
    const loader = new Image();
    const giveBack = takeSlot(() => {
      loader.src = wanted;
    });
    loader.onload = () => {
      giveBack();
      setShown(wanted);
    };
    loader.onerror = giveBack;
    return () => {
      loader.onload = loader.onerror = null;
      loader.src = "";
      giveBack();
    };
  }, [wanted]);
  const box = { width: size, height: size };
  if (!wanted || !shown) {
    return <span {...(alt ? { role: "img", "aria-label": alt } : { "aria-hidden": true })} className={`block shrink-0 bg-mortar/60 ${className}`} style={box} />;
  }
  return (
    <img
      src={shown}
      alt={alt}
      width={size}
      height={size}
      draggable={false}
      className={`checks block shrink-0 object-cover ${className}`}
      style={box}
    />
  );
}
