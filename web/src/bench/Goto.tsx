import {
  Combobox,
  ComboboxInput,
  ComboboxOption,
  ComboboxOptions,
  Dialog,
  DialogPanel,
} from "@headlessui/react";
import { useState } from "react";
import { found, type Target } from "./goto";

/** A search over all that one can go to; arrows choose, Enter goes. */
export function Goto({ targets, close }: { targets: Target[]; close: () => void }) {
  const [asked, setAsked] = useState("");
  const shown = found(targets, asked);
  return (
    <Dialog open onClose={close} className="relative z-50">
      <div className="fixed inset-0 flex justify-center bg-ink/25 p-6 pt-24">
        <DialogPanel className="h-fit w-[520px] border border-ink bg-sheet p-3">
          <Combobox
            immediate
            value={null as Target | null}
            onChange={(target) => {
              if (!target) return;
              close();
              target.go();
            }}
          >
            <ComboboxInput
              autoFocus
              aria-label="go to"
              className="blank w-full text-[15px]!"
              placeholder="go to an action, patch, finding, setting, view …"
              value={asked}
              onChange={(e) => setAsked(e.target.value)}
              onKeyDown={(e) => {
                if (e.key === "Escape") close();
              }}
            />
            <ComboboxOptions static className="mt-2">
              {shown.map((target) => (
                <ComboboxOption
                  key={target.key}
                  value={target}
                  className="flex cursor-pointer items-baseline gap-2 px-2 py-1 data-focus:bg-wash"
                >
                  <span className="w-16 shrink-0 text-[11.5px] text-soft">{target.group}</span>
                  <span className="min-w-0 flex-1 truncate">{target.label}</span>
                  <span className="max-w-36 truncate text-soft">{target.hint}</span>
                </ComboboxOption>
              ))}
            </ComboboxOptions>
          </Combobox>
          {shown.length === 0 && <p className="px-2 py-1 text-soft">Nothing is called so.</p>}
        </DialogPanel>
      </div>
    </Dialog>
  );
}
