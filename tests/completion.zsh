# Types LINE and a tab into an interactive zsh, and looks for WANTED on its screen.
#
# usage: zsh -f completion.zsh FOLDER-OF-FUNCTIONS LINE WANTED
zmodload zsh/zpty
zpty shell zsh -f -i
zpty -w shell "PS1='ready> '; fpath=($1 \$fpath); autoload -Uz compinit; compinit -u -d $PWD/zcompdump"
zpty -w shell "print loaded"
repeat 200; do
    zpty -r -t shell part && screen+=$part || sleep 0.05
    [[ $screen == *$'\nloaded'* ]] && break
done
screen=
zpty -w -n shell "$2"$'\t'
repeat 100; do
    zpty -r -t shell part && screen+=$part || sleep 0.05
    [[ $screen == *"$3"* ]] && exit 0
done
print "zsh: $2: does not offer $3: $screen"
exit 1
