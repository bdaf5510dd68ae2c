# Bash completion of moth and dusky-moth. What a command takes is read from its own --help.

_moth() {
  local current=${COMP_WORDS[COMP_CWORD]} previous=${COMP_WORDS[COMP_CWORD-1]} command= word help choices
  for word in "${COMP_WORDS[@]:1:COMP_CWORD-1}"; do
    case $word in -*) ;; *) command=$word; break ;; esac
  done
  if [[ -z $command ]]; then
    choices=$(moth --help 2>/dev/null | sed -n '/^Subcommands:/,$ s/^  \([a-z][a-z]*\) .*/\1/p')
    COMPREPLY=($(compgen -W "$choices --help --version --log" -- "$current"))
    return
  fi
  help=$(moth "$command" --help 2>/dev/null)
  # An option that has choices: "--focal TEXT:{locked,near}".
  choices=$(sed -n "s/^ *\(-[a-z],\)\{0,1\}$previous [A-Z]*:{\([^}]*\)}.*/\2/p" <<<"$help")
  if [[ $previous == -* && -n $choices ]]; then
    COMPREPLY=($(compgen -W "${choices//,/ }" -- "$current"))
  elif [[ $current == -* ]]; then
    COMPREPLY=($(compgen -W "$(grep -oE -- '^ +(-[a-z],)?--[a-z-]+' <<<"$help" | grep -oE -- '--[a-z-]+') --log" -- "$current"))
  else
    compopt -o filenames
    COMPREPLY=($(compgen -f -- "$current"))
  fi
}
complete -F _moth moth

_dusky_moth() {
  local current=${COMP_WORDS[COMP_CWORD]}
  if [[ $current == -* ]]; then
    COMPREPLY=($(compgen -W "--help --version --log" -- "$current"))
  else
    compopt -o filenames
    COMPREPLY=($(compgen -f -- "$current"))
  fi
}
complete -F _dusky_moth dusky-moth
