# Nothing of this is for scripts.
case $- in
    *i*) ;;
      *) return;;
esac
HISTSIZE=2000
export GATE_TIMEOUT_MS=4000
alias board='berth-shell --read-only'
PS1='\u@\h:\w\$ '
