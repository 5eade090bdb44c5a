#!/usr/bin/env bash
# Chromium (browser tests), readers of PDF (tests of sheets) and an LLVM that the fast renderer can use: through apt where that is
# possible, else a plain word about what is missing and what still works. Never fails the set-up.
set -u

has_llvm() { ls /usr/lib/*/libLLVM*.so* /usr/lib64/libLLVM*.so* 2>/dev/null | grep -Eq 'libLLVM(-|\.so\.)(1[6-9]|[2-9][0-9])'; }
has_chromium() { command -v chromium >/dev/null; }
has_poppler() { command -v pdftotext >/dev/null; }

wanted=()
has_chromium || wanted+=(chromium)
has_llvm || wanted+=(libllvm19)
has_poppler || wanted+=(poppler-utils)
[ ${#wanted[@]} -eq 0 ] && exit 0

run=()
if [ "$(id -u)" -ne 0 ]; then
  if command -v sudo >/dev/null && sudo -n true 2>/dev/null; then run=(sudo -n); else run=(false); fi
fi
if command -v apt-get >/dev/null && [ "${run[0]:-}" != false ]; then
  export DEBIAN_FRONTEND=noninteractive
  "${run[@]}" apt-get update -qq >/dev/null 2>&1
  for package in "${wanted[@]}"; do
    "${run[@]}" apt-get install -y -qq --no-install-recommends "$package" >/dev/null 2>&1
  done
fi
has_chromium || echo "Missing: Chromium (Debian package chromium). Everything runs; the browser tests are skipped."
has_poppler || echo "Missing: pdftotext (Debian package poppler-utils). Everything runs; tests that read sheets are skipped."
has_llvm || echo "Missing: LLVM 16 or newer (Debian package libllvm19). Renders still work, about three times slower."
exit 0
