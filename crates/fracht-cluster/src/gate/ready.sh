now=`date +%s`
end=`expr $now + $WITHIN_SECONDS`
until nc -z -w 2 "$HOST" "$PORT"; do
  if [ `date +%s` -ge $end ]; then
    echo "gave up after $WITHIN of waiting for $HOST:$PORT to be ready"
    exit 75
  fi
  echo "waiting for $HOST:$PORT to be ready"
  sleep 2
done
echo "$HOST is ready"
