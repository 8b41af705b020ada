: $((1 +)); echo same
echo next
