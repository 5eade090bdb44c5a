import { unsay, useNotices } from "../state/notices";

export function Notices() {
  const { notices } = useNotices();
  return (
    <div
      role="status"
      className="pointer-events-none fixed bottom-28 left-[340px] z-40 flex max-w-[480px] flex-col gap-2"
    >
      {notices.map((notice) => (
        <div
          key={notice.id}
          className={`pointer-events-auto flex items-start gap-3 rounded-lg border-l-4 bg-lime-50 px-3.5 py-2.5 shadow-lg ${notice.kind === "wrong" ? "border-oxide" : "border-verdigris"}`}
        >
          <span>{notice.text}</span>
          <button type="button" className="text-ink-500 hover:text-ink-900" onClick={() => unsay(notice.id)}>
            Close
          </button>
        </div>
      ))}
    </div>
  );
}
