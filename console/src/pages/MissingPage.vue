<template>
  <h1>There is nothing here</h1>
  <p>The address names no page. <RouterLink to="/">All deliveries</RouterLink></p>
</template>
