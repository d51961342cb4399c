# Completion of dubbin for bash.
_dubbin() {
    local now="${COMP_WORDS[COMP_CWORD]}" before="${COMP_WORDS[COMP_CWORD-1]}" command="${COMP_WORDS[1]}"
    COMPREPLY=()
    if [ "$COMP_CWORD" -eq 1 ]; then
        COMPREPLY=($(compgen -W "open demo check clean pauses transcribe voice edits targets master video clips proof review collect batch worker desktop about --version --help" -- "$now"))
        return
    fi
    case "$command $before" in
        "clean --engine") COMPREPLY=($(compgen -W "neural statistical" -- "$now")); return ;;
        "transcribe --speakers") COMPREPLY=($(compgen -W "0 1 2 3 4 5 6 7 8" -- "$now")); return ;;
        "master --format") COMPREPLY=($(compgen -W "wav flac mp3 m4a opus" -- "$now")); return ;;
        "master --extra") COMPREPLY=($(compgen -W "proof captions transcript chapters breaks notes" -- "$now")); return ;;
        "clips --most") COMPREPLY=($(compgen -W "1 2 3 4 5 6 7 8 9 10 11 12 13 14 15 16 17 18 19 20 21 22 23 24 25 26 27 28 29 30 31 32 33 34 35 36 37 38 39 40 41 42 43 44 45 46 47 48 49 50" -- "$now")); return ;;
        "clips --format") COMPREPLY=($(compgen -W "wav flac mp3 m4a opus" -- "$now")); return ;;
        "batch --workers") COMPREPLY=($(compgen -W "1 2 3 4 5 6 7 8 9 10 11 12 13 14 15 16 17 18 19 20 21 22 23 24 25 26 27 28 29 30 31 32 33 34 35 36 37 38 39 40 41 42 43 44 45 46 47 48 49 50 51 52 53 54 55 56 57 58 59 60 61 62 63 64" -- "$now")); return ;;
        "worker --workers") COMPREPLY=($(compgen -W "1 2 3 4 5 6 7 8 9 10 11 12 13 14 15 16 17 18 19 20 21 22 23 24 25 26 27 28 29 30 31 32 33 34 35 36 37 38 39 40 41 42 43 44 45 46 47 48 49 50 51 52 53 54 55 56 57 58 59 60 61 62 63 64" -- "$now")); return ;;
    esac
    if [[ "$now" == -* ]]; then
        case "$command" in
            open) COMPREPLY=($(compgen -W "-h --help" -- "$now")) ;;
            demo) COMPREPLY=($(compgen -W "-h --help --dir --no-window" -- "$now")) ;;
            check) COMPREPLY=($(compgen -W "-h --help --json --quiet" -- "$now")) ;;
            clean) COMPREPLY=($(compgen -W "-h --help --json --quiet -o --treat --noise-from --engine --removed --set" -- "$now")) ;;
            pauses) COMPREPLY=($(compgen -W "-h --help --json --quiet -o --quieter-than --longer-than --leave-before --leave-after --keep" -- "$now")) ;;
            transcribe) COMPREPLY=($(compgen -W "-h --help --json --quiet -o --model --language --names --speakers --text" -- "$now")) ;;
            voice) COMPREPLY=($(compgen -W "-h --help --json --quiet -o --preset" -- "$now")) ;;
            edits) COMPREPLY=($(compgen -W "-h --help -o --fps" -- "$now")) ;;
            targets) COMPREPLY=($(compgen -W "-h --help --json --quiet" -- "$now")) ;;
            master) COMPREPLY=($(compgen -W "-h --help --json --quiet -o --target --format --no-proof --extra" -- "$now")) ;;
            video) COMPREPLY=($(compgen -W "-h --help --json --quiet -o --film --target --fps" -- "$now")) ;;
            clips) COMPREPLY=($(compgen -W "-h --help --json --quiet -o --most --target --format" -- "$now")) ;;
            proof) COMPREPLY=($(compgen -W "-h --help --json --quiet --target --sheet" -- "$now")) ;;
            review) COMPREPLY=($(compgen -W "-h --help --json --quiet -o --take" -- "$now")) ;;
            collect) COMPREPLY=($(compgen -W "-h --help --json --quiet -o" -- "$now")) ;;
            batch) COMPREPLY=($(compgen -W "-h --help --json --quiet --watch -o --recipe --workers --cluster" -- "$now")) ;;
            worker) COMPREPLY=($(compgen -W "-h --help --workers --memory --quiet" -- "$now")) ;;
            desktop) COMPREPLY=($(compgen -W "-h --help --json --quiet --install --remove" -- "$now")) ;;
            about) COMPREPLY=($(compgen -W "-h --help --json --quiet" -- "$now")) ;;
        esac
        return
    fi
    COMPREPLY=($(compgen -f -- "$now"))
}
complete -o filenames -F _dubbin dubbin
