/** Where people put such a script so that their shell finds it. */
interface ShellScript {
  script: string;
  put: string;
}

/** What each shell asks: the words behind the program's name up to the cursor; a line for each candidate, with what it is behind a tab. */
const asked = 'mile-marker complete-words --';

export const shells = ['bash', 'zsh', 'fish'] as const;
export type Shell = (typeof shells)[number];

/** Scripts by which shells complete the words of a command line (bash(1), "Programmable Completion"; zshcompsys(1); complete(1) of fish). */
export const shellScripts: Readonly<Record<Shell, ShellScript>> = {
  bash: {
    put: 'mkdir -p ~/.local/share/bash-completion/completions && mile-marker completion bash > ~/.local/share/bash-completion/completions/mile-marker',
    script: `# Completion of mile-marker for bash.
_mile_marker() {
  local line word
  COMPREPLY=()
  # Names may have signs that the shell would obey.
  while IFS= read -r line; do printf -v word %q "\${line%%$'\\t'*}"; COMPREPLY+=("$word"); done < <(
    ${asked} "\${COMP_WORDS[@]:1:COMP_CWORD}" 2>/dev/null
  )
}
complete -o default -F _mile_marker mile-marker
`,
  },
  zsh: {
    put: 'mkdir -p ~/.zfunc && mile-marker completion zsh > ~/.zfunc/_mile-marker, and once in ~/.zshrc: fpath+=~/.zfunc; autoload -Uz compinit && compinit',
    script: `#compdef mile-marker
# Completion of mile-marker for zsh.
_mile_marker() {
  local -a found
  local word about
  while IFS=$'\\t' read -r word about; do
    found+=("\${word//:/\\\\:}\${about:+:$about}")
  done < <(${asked} "\${(@)words[2,CURRENT]}" 2>/dev/null)
  if (( $#found )); then _describe 'mile-marker' found; else _files; fi
}
if [ "$funcstack[1]" = "_mile-marker" ]; then _mile_marker "$@"; else compdef _mile_marker mile-marker; fi
`,
  },
  fish: {
    put: 'mkdir -p ~/.config/fish/completions && mile-marker completion fish > ~/.config/fish/completions/mile-marker.fish',
    script: `# Completion of mile-marker for fish.
function __mile_marker_words
  set -l before (commandline -opc)
  set -l found (${asked} $before[2..] (commandline -ct) 2>/dev/null)
  if set -q found[1]
    printf '%s\\n' $found
  else
    __fish_complete_path (commandline -ct)
  end
end
complete -c mile-marker -f -a '(__mile_marker_words)'
`,
  },
};
