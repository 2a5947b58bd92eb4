<script setup lang="ts">
import CorrectionList from '@/corrections/CorrectionList.vue'
</script>

<template>
  <CorrectionList place="/finish/corrections" />
</template>
