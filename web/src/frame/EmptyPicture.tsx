import type { ReactNode } from "react";

/** In place of a picture: what is missing, and what would bring it. */
export const EmptyPicture = ({ title, children }: { title: string; children: ReactNode }) => (
  <div className="flex h-full items-center justify-center text-center text-[#c9d0cd]">
    <div className="w-[360px]">
      <p className="mb-3 text-[15px] text-white">{title}</p>
      {children}
    </div>
  </div>
);
