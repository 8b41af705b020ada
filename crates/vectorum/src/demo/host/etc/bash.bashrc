[ -z "${PS1-}" ] && return
PAGER=less
LESS=-R
export PAGER LESS
