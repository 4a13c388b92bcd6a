/** Shells whose completion is known. */
export const shells = ['bash', 'zsh', 'fish'] as const;

/** One of them. */
export type Shell = (typeof shells)[number];

/** Scripts that ask the program itself what may stand at the cursor; where it knows nothing the shell offers files. */
export const completionScripts: Readonly<Record<Shell, string>> = {
  // bash takes `@` and `:` for ends of words, so what it has of the word already is cut off again.
  bash: `# bash completion for bevelstone; in ~/.bashrc: eval "$(bevelstone completion bash)"
_bevelstone() {
  local IFS=$'\\n' line=\${COMP_LINE:0:COMP_POINT}
  local word=\${line##*[[:space:]]}
  local before=\${word%"\${COMP_WORDS[COMP_CWORD]}"}
  COMPREPLY=($(bevelstone completion --line "$line" 2>/dev/null))
  COMPREPLY=("\${COMPREPLY[@]#"$before"}")
}
complete -o default -F _bevelstone bevelstone`,
  zsh: `# zsh completion for bevelstone; in ~/.zshrc, after compinit: eval "$(bevelstone completion zsh)"
_bevelstone() {
  local -a found
  found=("\${(@f)$(bevelstone completion --line "\${(j: :)words[1,CURRENT]}" 2>/dev/null)}")
  if [[ -n "\${found[1]}" ]]; then compadd -- "\${found[@]}"; else _files; fi
}
compdef _bevelstone bevelstone`,
  fish: `# fish completion for bevelstone; in ~/.config/fish/config.fish: bevelstone completion fish | source
function __bevelstone_complete
    set -l found (bevelstone completion --line (commandline -cp | string collect) 2>/dev/null)
    if test -n "$found[1]"
        printf '%s\\n' $found
    else
        __fish_complete_path (commandline -ct)
    end
end
complete -c bevelstone -f -a '(__bevelstone_complete)'`,
};
