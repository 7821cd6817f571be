import regular from "@expo-google-fonts/hanken-grotesk/400Regular/HankenGrotesk_400Regular.ttf?url";
import semiBold from "@expo-google-fonts/hanken-grotesk/600SemiBold/HankenGrotesk_600SemiBold.ttf?url";
import otherRegular from "@expo-google-fonts/noto-sans/400Regular/NotoSans_400Regular.ttf?url";
import otherSemiBold from "@expo-google-fonts/noto-sans/600SemiBold/NotoSans_600SemiBold.ttf?url";

const FACES: readonly [family: string, weight: string, address: string][] = [
  ["Hanken Grotesk", "400", regular],
  ["Hanken Grotesk", "600", semiBold],
  ["Noto Sans", "400", otherRegular],
  ["Noto Sans", "600", otherSemiBold],
];

let isAsked = false;

/** Makes the fonts of sheets known to the browser: the very ones that sheets are printed with. */
export function useSheetFonts(): void {
  if (isAsked || typeof FontFace === "undefined") {
    return;
  }
  isAsked = true;
  for (const [family, weight, address] of FACES) {
    document.fonts.add(new FontFace(family, `url(${address})`, { weight }));
  }
}
