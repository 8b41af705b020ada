. ./a.sh; echo same-line
echo next
