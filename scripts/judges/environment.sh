# Reads every file of a folder as a shell does, with the names that the files use: name and
# value end with a zero byte, a file with "\n\0". environment.sh SHELL FOLDER NAMES
shell=$1 folder=$2 names=$3
for file in "$folder"/*; do
    env -i PATH=/nowhere HOME=/home/none judged="$file" asked="$names" "$shell" -c '
        . "$judged" >/dev/null 2>&1
        for name in $asked; do
            eval "is=\${$name+set}"
            [ "$is" = set ] || continue
            eval "value=\$$name"
            printf "%s\0%s\0" "$name" "$value"
        done
    ' </dev/null 2>/dev/null || printf 'refused\0\0'
    printf 'over\0\0'
done
