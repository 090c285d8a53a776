# fish: completes the words of bayswap. The tool itself knows which; fish adds the files.
function __bayswap_words
    set -l words (commandline -opc) (commandline -ct)
    bayswap complete $words[2..-1] 2>/dev/null
end
complete -c bayswap -a '(__bayswap_words)'
