# bash: completes the words of bayswap. The tool itself knows which; files are added by bash.
_bayswap() {
  local line current=${COMP_WORDS[COMP_CWORD]}
  COMPREPLY=()
  # A colon is a part of our words, and a border of bash's.
  local words=() word begin
  for word in "${COMP_WORDS[@]:1:COMP_CWORD}"; do
    if [[ ($word == : || ${words[-1]-} == *:) && ${#words[@]} -gt 0 ]]; then
      words[-1]+=$word
    else
      words+=("$word")
    fi
  done
  begin=${words[-1]%"${current#:}"}
  while IFS= read -r line; do
    COMPREPLY+=("$(printf '%q' "${line#"$begin"}")")
  done < <(bayswap complete "${words[@]}" 2>/dev/null)
  if [[ $current != -* ]]; then
    compopt -o filenames 2>/dev/null
    while IFS= read -r line; do COMPREPLY+=("$line"); done < <(compgen -f -- "$current")
  fi
}
complete -F _bayswap bayswap
