now=`date +%s`
end=`expr $now + $WITHIN_SECONDS`
api=https://kubernetes.default.svc/apis/batch/v1/namespaces/$NAMESPACE/jobs/$JOB
while :; do
  token=`cat "$API_FOLDER/token"`
  answer=`curl -sS -m 10 --cacert "$API_FOLDER/ca.crt" -H "Authorization: Bearer $token" $api | tr -d ' \n'`
  case $answer in
    *'"type":"Complete","status":"True"'*) echo "$TASK is done"; exit 0 ;;
    *'"type":"Failed","status":"True"'*) echo "$TASK failed: see the log of job $JOB"; exit 1 ;;
    *'"code":404'*) echo "job $JOB not found: apply the stack again, which runs $TASK again" ;;
    *'"code":403'*) echo "not allowed to read job $JOB: apply the stack again" ;;
  esac
  if [ `date +%s` -ge $end ]; then
    echo "gave up after $WITHIN of waiting for $TASK to be done"
    exit 75
  fi
  echo "waiting for $TASK to be done"
  sleep 2
done
